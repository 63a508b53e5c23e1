// The drop zone: uploads in resumable chunks, one after the other, and goes on to what the file is for.
document.addEventListener("alpine:init", () => {
  const CHUNK = 8 * 1024 * 1024;
  const RETRIES = [0, 1000, 3000, 5000, 10000, 20000];

  const spell = (bytes) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`);
  const cookie = (name) => document.cookie.split("; ").find((part) => part.startsWith(`${name}=`))?.slice(name.length + 1);

  Alpine.data("intake", () => ({
    items: [],
    isOver: false,
    get dropClass() {
      return this.isOver ? "over" : "";
    },
    choose() {
      this.$refs.picker.click();
    },
    over() {
      this.isOver = true;
    },
    left() {
      this.isOver = false;
    },
    dropped(event) {
      this.isOver = false;
      this.addAll(event.dataTransfer.files);
    },
    picked(event) {
      this.addAll(event.target.files);
      event.target.value = "";
    },
    addAll(files) {
      for (const file of files) this.add(file);
    },
    add(file) {
      this.items.unshift({
        key: `${file.name}-${Date.now()}-${Math.random()}`, name: file.name, running: true, words: "waiting", mistake: "",
        barStyle: { width: "0%" },
      });
      this.send(file, this.items[0]);
    },
    send(file, item) {
      const upload = new tus.Upload(file, {
        endpoint: this.$root.dataset.uploads,
        chunkSize: CHUNK,
        retryDelays: RETRIES,
        removeFingerprintOnSuccess: true,
        metadata: { filename: file.name },
        headers: { "X-CSRFToken": this.token() },
        onError: (error) => {
          item.running = false;
          const answer = error.originalResponse;
          item.mistake = answer && answer.getStatus() < 500 ? answer.getBody() || error.message : "The upload stopped. Drop the file again to go on where it stopped.";
        },
        onProgress: (sent, total) => {
          item.barStyle = { width: `${((sent / total) * 100).toFixed(1)}%` };
          item.words = `${spell(sent)} of ${spell(total)}`;
        },
        onSuccess: () => this.finished(upload, item),
      });
      upload.findPreviousUploads().then((previous) => {
        if (previous.length) upload.resumeFromPreviousUpload(previous[0]);
        upload.start();
      });
    },
    token() {
      return cookie("csrftoken") || document.querySelector("[name=csrfmiddlewaretoken]").value;
    },
    async finished(upload, item) {
      item.running = false;
      const outcome = await (await fetch(upload.url)).json();
      if (this.items.every((one) => !one.running) && this.items.length === 1 && !outcome.deliverable) location.href = outcome.page;
      else if (this.items.every((one) => !one.running)) location.reload();
    },
  }));
});
