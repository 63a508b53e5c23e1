// Forms: the first mistake has the focus, and long lists to choose from (select elements with data-filter) a filter.
const FEW = 12; // entries that are seen at once anyhow

const narrow = (select, text) => {
  const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
  for (const option of select.options) {
    const held = `${option.textContent} ${option.parentElement.label || ""}`.toLowerCase();
    option.hidden = Boolean(option.value) && !wanted.every((word) => held.includes(word));
  }
  for (const group of select.querySelectorAll("optgroup")) group.hidden = [...group.children].every((option) => option.hidden);
  const left = [...select.options].filter((option) => option.value && !option.hidden);
  if (wanted.length && select.selectedOptions[0]?.hidden !== false) select.value = left[0]?.value ?? "";
  if (wanted.length === 0) return "";
  if (left.length === 1) select.value = left[0].value;
  return left.length ? `${left.length} of ${[...select.options].filter((option) => option.value).length}` : "none is like that";
};

const begin = (select) => {
  if (select.options.length <= FEW) return;
  const field = document.createElement("input");
  field.type = "search";
  field.className = "pick";
  field.placeholder = "Filter the list";
  field.setAttribute("aria-label", `Filter: ${select.getAttribute("aria-label") || select.labels[0]?.textContent.trim() || "the list"}`);
  const says = document.createElement("span");
  says.className = "hint pick-says";
  says.setAttribute("role", "status");
  field.addEventListener("input", () => (says.textContent = narrow(select, field.value)));
  field.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== "ArrowDown") return;
    event.preventDefault();
    select.focus();
  });
  select.before(field);
  select.after(says);
};

for (const select of document.querySelectorAll("select[data-filter]")) begin(select);
document.querySelector("main [aria-invalid=true]")?.focus();
