// Small state of list pages: a part that refreshes itself while something runs.
document.addEventListener("alpine:init", () => {
  Alpine.data("selfRefreshing", () => ({
    timer: null,
    init() {
      const every = Number(this.$el.dataset.every || 0);
      if (every) this.timer = setTimeout(() => this.refresh(), every);
    },
    destroy() {
      clearTimeout(this.timer);
    },
    async refresh() {
      const here = this.$el;
      try {
        const answer = await fetch(location.href, { headers: { "X-Part": here.id } });
        const page = new DOMParser().parseFromString(await answer.text(), "text/html");
        const fresh = page.getElementById(here.id);
        if (fresh) here.replaceWith(fresh);
      } catch {
        this.timer = setTimeout(() => this.refresh(), 5000);
      }
    },
  }));
});
