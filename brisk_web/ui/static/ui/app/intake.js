// The drop zone: files are sent in resumable chunks, two at a time, and go on by themselves when the line is back.
document.addEventListener("alpine:init", () => {
  const CHUNK = 8 * 1024 * 1024;
  const RETRIES = [0, 1000, 3000, 5000];
  const AGAIN = 15000; // milliseconds after which a lost line is tried anew
  const AT_ONCE = 2;
  const EDITS = /\.(otio|otioz|aaf|edl)$/i;

  const spell = (bytes) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`);
  const cookie = (name) => document.cookie.split("; ").find((part) => part.startsWith(`${name}=`))?.slice(name.length + 1);
  const token = () => cookie("csrftoken") || document.querySelector("[name=csrfmiddlewaretoken]").value;

  // What an upload is in: waits, sends, lost (the line), refused, done; an edit asks for its job instead.
  Alpine.data("intake", () => ({
    items: [],
    isOver: false,
    uploads: new Map(), // by key, what is not for drawing: the file and its sender
    get dropClass() {
      return this.isOver ? "over" : "";
    },
    init() {
      this.heard = [
        [document, "dragover", (event) => this.over(event)],
        [document, "drop", (event) => this.dropped(event)],
        [document, "dragleave", (event) => event.relatedTarget || this.left()],
        [window, "online", () => this.tryAgain()],
        [window, "beforeunload", (event) => this.isBusy && event.preventDefault()],
      ];
      for (const [where, name, act] of this.heard) where.addEventListener(name, act);
    },
    destroy() {
      for (const [where, name, act] of this.heard) where.removeEventListener(name, act);
    },
    get isBusy() {
      return this.items.some((one) => ["waits", "sends", "lost"].includes(one.state));
    },
    choose() {
      this.$refs.picker.click();
    },
    over(event) {
      if (![...event.dataTransfer.types].includes("Files")) return;
      event.preventDefault();
      this.isOver = true;
    },
    left() {
      this.isOver = false;
    },
    dropped(event) {
      if (!event.dataTransfer.files.length) return;
      event.preventDefault();
      this.isOver = false;
      this.addAll(event.dataTransfer.files);
    },
    picked(event) {
      this.addAll(event.target.files);
      event.target.value = "";
    },
    addAll(files) {
      for (const file of files) {
        const key = `${file.name}-${Date.now()}-${Math.random()}`;
        const isEdit = EDITS.test(file.name) && "takesEdits" in this.$root.dataset;
        this.uploads.set(key, { file, sender: null });
        this.items.push({ key, name: file.name, unrated: /\.edl$/i.test(file.name), state: isEdit ? "edit" : "waits", words: "waits", mistake: "", share: 0 });
      }
      this.next();
    },
    next() {
      const sending = this.items.filter((one) => one.state === "sends").length;
      for (const item of this.items.filter((one) => one.state === "waits").slice(0, Math.max(0, AT_ONCE - sending))) this.send(item);
    },
    send(item) {
      const known = this.uploads.get(item.key);
      item.state = "sends";
      item.mistake = "";
      const sender = new tus.Upload(known.file, {
        endpoint: this.$root.dataset.uploads,
        chunkSize: CHUNK,
        retryDelays: RETRIES,
        removeFingerprintOnSuccess: true,
        metadata: { filename: known.file.name },
        onBeforeRequest: (request) => request.setHeader("X-CSRFToken", token()),
        onError: (error) => this.stopped(item, error),
        onProgress: (sent, total) => {
          item.share = total ? sent / total : 0;
          item.words = `${spell(sent)} of ${spell(total)}`;
        },
        onSuccess: () => this.finished(item),
      });
      known.sender = sender;
      sender.findPreviousUploads().then((previous) => {
        if (item.state !== "sends") return; // taken out meanwhile
        if (previous.length) sender.resumeFromPreviousUpload(previous[0]);
        sender.start();
      });
    },
    stopped(item, error) {
      const answer = error.originalResponse;
      const status = answer ? answer.getStatus() : 0;
      if (status >= 400 && status < 500 && status !== 409 && status !== 423) {
        item.state = "refused";
        item.mistake = answer.getBody() || error.message;
      } else {
        item.state = "lost";
        item.mistake = "The line is down. It goes on by itself when the line is back.";
        setTimeout(() => this.tryAgain(), AGAIN);
      }
      this.next();
    },
    tryAgain() {
      for (const item of this.items) if (item.state === "lost") item.state = "waits";
      this.next();
    },
    // Stops an upload and drops what has arrived of it, or only takes a line off the list.
    remove(event) {
      const { key } = event.currentTarget.dataset;
      const item = this.items.find((one) => one.key === key);
      const { sender } = this.uploads.get(key);
      if (sender && (item.state === "sends" || item.state === "lost")) sender.abort(true).catch(() => {}); // it expires by itself
      this.items = this.items.filter((one) => one.key !== key);
      this.uploads.delete(key);
      this.next();
    },
    async finished(item) {
      item.state = "done";
      item.words = "has arrived";
      const outcome = await (await fetch(this.uploads.get(item.key).sender.url)).json();
      this.next();
      if (this.items.length === 1 && !outcome.deliverable) location.href = outcome.page;
      else {
        this.items = this.items.filter((one) => one.key !== item.key);
        document.dispatchEvent(new Event("brisk:changed"));
      }
    },
    // An edit is imported into the job that is chosen for it.
    async importInto(event) {
      const item = this.items.find((one) => one.key === event.currentTarget.dataset.key);
      const entries = event.currentTarget.closest("[data-edit]");
      const address = entries.querySelector("select").value;
      if (!address) {
        item.mistake = "Choose the job that it belongs to.";
        return;
      }
      const form = new FormData();
      form.set("csrfmiddlewaretoken", token());
      form.set("rate", entries.querySelector("input").value);
      form.set("file", this.uploads.get(item.key).file);
      item.mistake = "";
      item.words = "is being read";
      try {
        const answer = await fetch(address, { method: "POST", body: form });
        if (answer.redirected && answer.url.includes("/timelines/")) {
          location.href = answer.url;
          return;
        }
        const page = new DOMParser().parseFromString(await answer.text(), "text/html");
        item.mistake = page.querySelector(".mistake")?.textContent || "The edit was not imported. Import it on the page of the job.";
      } catch {
        item.mistake = "No answer from the house. Try again.";
      }
      item.words = "";
    },
    // What an earlier visit left unfinished.
    async drop(event) {
      const row = event.currentTarget.closest("[data-unfinished]");
      const answer = await fetch(row.dataset.unfinished, { method: "DELETE", headers: { "Tus-Resumable": "1.0.0", "X-CSRFToken": token() } });
      if (answer.ok || answer.status === 404) row.remove();
    },
  }));
});
