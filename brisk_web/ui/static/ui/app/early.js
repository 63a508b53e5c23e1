// What was typed, ticked or chosen before the page's scripts ran counts as much as what comes after.
document.addEventListener("alpine:init", () => {
  const early = [...document.querySelectorAll("[x-model]")]
    .map((field) => (field.type === "checkbox" ? [field, "checked", field.defaultChecked] : [field, "value", field.defaultValue]))
    .filter(([field, property, unchanged]) => field[property] !== unchanged)
    .map(([field, property]) => [field, property, field[property]]);
  document.addEventListener("alpine:initialized", () => {
    for (const [field, property, given] of early) {
      field[property] = given;
      field.dispatchEvent(new Event(property === "checked" ? "change" : "input", { bubbles: true }));
    }
    for (const picker of document.querySelectorAll("input[type=file]")) {
      if (picker.files.length) picker.dispatchEvent(new Event("change", { bubbles: true }));
    }
  });
});
