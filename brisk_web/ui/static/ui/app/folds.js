// Rows that fold away by group, on Side by side.
document.addEventListener("alpine:init", () => {
  Alpine.data("folds", () => ({
    folded: true,
    get allWords() {
      return this.folded ? "All rows" : "Only what differs";
    },
    rows(group) {
      return [...this.$root.querySelectorAll("[data-fold]")].filter((row) => !group || row.dataset.fold === group);
    },
    open(event) {
      for (const row of this.rows(event.currentTarget.dataset.group)) row.hidden = false;
      event.currentTarget.closest("tr").hidden = true;
    },
    toggleAll() {
      this.folded = !this.folded;
      for (const row of this.rows()) row.hidden = this.folded;
      if (this.folded) for (const bar of this.$root.querySelectorAll("tr[x-show]")) bar.hidden = false;
    },
    print() {
      window.print();
    },
  }));
});
