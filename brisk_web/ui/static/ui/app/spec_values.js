// Values and conditions of a spec as fields: what stands in a field, and what it means in the document.
const NUMBER = /^-?\d+(\.\d+)?$/;
const WHOLE = /^-?\d+$/;
const AS_TEXT = new Set(["text", "choice", "timecode", "ratio", "size"]); // kinds whose numbers stay texts
const BARE = new Set(["present", "absent", "same_as_timeline", "same_as_master", "witnesses_agree"]);

// What each condition is called in a list.
export const CONDITION_WORDS = {
  equals: "is", one_of: "is one of", between: "is between", at_least: "is at least", at_most: "is at most",
  near: "is near", present: "is there", absent: "is not there", matches: "fits the pattern",
  same_as_timeline: "is as the timeline has it", same_as_master: "is as the master has it",
  witnesses_agree: "is the same by every witness", fits_buffer: "fits the buffer",
  none_longer_than: "has no place longer than", at_most_in_all: "has in all at most", only_at_ends: "is only at the ends",
  table: "is a row of a table", cases: "depends on other facts",
};

export const toValue = (text, kind) => {
  const said = text.trim();
  if (kind === "yes or no") return ["true", "yes"].includes(said.toLowerCase()) ? true : ["false", "no"].includes(said.toLowerCase()) ? false : said;
  if (kind === "list of text") return toValues(said, "text");
  if (AS_TEXT.has(kind)) return said;
  if (kind === "rate") return WHOLE.test(said) ? Number(said) : said; // 29.97 is a name, not a number
  return NUMBER.test(said) ? Number(said) : said;
};

// Width and height; two sizes spelled as texts are a list of them.
const isOneSize = (value, kind) => kind === "size" && value.length === 2 && value.every((one) => typeof one === "number");

export const toText = (value, kind) => {
  if (value === null || value === undefined) return "";
  if (Array.isArray(value)) return isOneSize(value, kind) ? value.join("×") : value.map((one) => toText(one, kind)).join(", ");
  if (value === true) return "true";
  return typeof value === "object" ? JSON.stringify(value) : String(value);
};

// Several values in one field, with commas between them.
export const toValues = (text, kind) => text.split(",").map((one) => one.trim()).filter(Boolean).map((one) => toValue(one, kind));

// A cell of a table is one value, or several of which one must be met.
export const toCell = (text, kind) => {
  const values = toValues(text, kind);
  return values.length === 1 ? values[0] : values.length ? values : "";
};

const KIND_OF_LENGTH = "length";

// The fields of a condition: where each stands in the condition's value, what it is called, of which kind it is.
export const fieldsOf = (name, kind) => {
  if (BARE.has(name) || name === "table" || name === "cases") return [];
  if (name === "between") return [{ at: 0, label: "least", kind }, { at: 1, label: "most", kind }];
  if (name === "near") return [{ at: "value", label: "value", kind }, { at: "tolerance", label: "give or take", kind }];
  if (name === "only_at_ends") return [{ at: "head", label: "first", kind: KIND_OF_LENGTH }, { at: "tail", label: "last", kind: KIND_OF_LENGTH }];
  if (name === "fits_buffer") return [{ at: "rate", label: "rate", kind: "bit/s" }, { at: "size", label: "size", kind: "count" }];
  if (name === "none_longer_than" || name === "at_most_in_all") return [{ at: null, label: "length", kind: KIND_OF_LENGTH }];
  if (name === "matches") return [{ at: null, label: "pattern", kind: "text" }];
  return [{ at: null, label: name === "one_of" ? "values, with commas between them" : "value", kind, several: name === "one_of" }];
};

// What a condition begins with.
export const freshCondition = (name, characteristic) => {
  if (BARE.has(name)) return { [name]: true };
  const first = characteristic?.choices?.[0] ?? (characteristic?.kind === "yes or no" ? true : "");
  if (name === "one_of") return { one_of: first === "" ? [] : [first] };
  if (name === "between") return { between: ["", ""] };
  if (name === "near") return { near: { value: "", tolerance: "" } };
  if (name === "only_at_ends") return { only_at_ends: { head: "2 s", tail: "3 s" } };
  if (name === "fits_buffer") return { fits_buffer: { rate: "", size: "" } };
  if (name === "table") return { table: { columns: [characteristic?.id ?? "", "picture.frame_rate"], rows: [["", ""]] } };
  if (name === "cases") return { cases: [{ when: { "picture.size": { equals: "" } }, then: { equals: "" } }] };
  return { [name]: first };
};

// The name and the value of a condition; no name where it is none.
export const parted = (raw) => {
  const names = raw && typeof raw === "object" && !Array.isArray(raw) ? Object.keys(raw) : [];
  return names.length === 1 ? [names[0], raw[names[0]]] : ["", null];
};

// A field of a condition that was filled in, put into it.
export const withField = (raw, field, text) => {
  const [name, value] = parted(raw);
  const said = field.several ? toValues(text, field.kind) : toValue(text, field.kind);
  if (field.at === null) return { [name]: said };
  const whole = Array.isArray(value) ? [...value] : { ...value };
  if (field.at === "head" || field.at === "tail") {
    if (said === "") delete whole[field.at];
    else whole[field.at] = said;
  } else whole[field.at] = said;
  return { [name]: whole };
};

// An id that no other line has, made from a characteristic: picture.frame_rate is frame-rate.
export const freeId = (characteristic, taken) => {
  const plain = characteristic.replace(/^[a-z]+\./, "").replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "") || "line";
  if (!taken.includes(plain)) return plain;
  for (let number = 2; ; number += 1) if (!taken.includes(`${plain}-${number}`)) return `${plain}-${number}`;
};

// A row moved by one place; the same rows where there is no further place.
export const moved = (rows, at, by) => {
  const to = at + by;
  if (to < 0 || to >= rows.length) return rows;
  const found = [...rows];
  [found[at], found[to]] = [found[to], found[at]];
  return found;
};

// Steps that can be taken back: each is a whole text.
export const steps = (first) => {
  const texts = [first];
  let at = 0;
  return {
    take(text) {
      if (text === texts[at]) return;
      texts.splice(at + 1, texts.length, text);
      if (texts.length > 200) texts.shift();
      at = texts.length - 1;
    },
    back: () => (at ? texts[--at] : null),
    again: () => (at + 1 < texts.length ? texts[++at] : null),
    get canBack() { return at > 0; },
    get canAgain() { return at + 1 < texts.length; },
  };
};
