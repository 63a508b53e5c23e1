// Watching stretch after stretch: each is played in clips as long as the house makes them, one after the other.
document.addEventListener("alpine:init", () => {
  Alpine.data("watch", () => ({
    waiting: [], // clips of the stretch that have not been played yet: [frame in the middle, seconds]
    words: "Choose a stretch to play it.",

    play(event) {
      const { start, end } = event.currentTarget.dataset;
      const { rate, most } = this.$root.dataset;
      this.waiting = clipsOf(Number(start), Number(end), Number(rate), Number(most));
      this.next();
    },
    next() {
      const clip = this.waiting.shift();
      if (!clip) {
        this.words = "The stretch is over.";
        return;
      }
      this.words = "Being prepared…";
      const player = this.$refs.player;
      player.onerror = () => (this.words = "This stretch cannot be played.");
      player.onplaying = () => (this.words = this.waiting.length ? `${this.waiting.length} more clips follow` : "");
      player.src = `${this.$root.dataset.clip}${clip[0]}.webm?seconds=${clip[1]}`;
      player.play().catch(() => {}); // what went wrong is told by the player's own event
    },
  }));
});

// The clips that show frames START to END (the first after): the frame in the middle of each, and whole seconds.
export const clipsOf = (start, end, rate, most) => {
  const clips = [];
  for (let at = start; at < end; ) {
    const seconds = Math.max(1, Math.min(most, Math.ceil((end - at) / rate - 1e-6)));
    const count = Math.round(seconds * rate);
    clips.push([at + Math.floor(count / 2), seconds]);
    at += count;
  }
  return clips;
};
