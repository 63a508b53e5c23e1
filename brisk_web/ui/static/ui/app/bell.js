// The bell in the rail: asks now and then how many notices are not read, while the page is looked at.
const EVERY = 20_000; // milliseconds

const show = (link, count) => {
  const badge = link.querySelector("[data-count]");
  badge.textContent = count;
  badge.hidden = count === 0;
  link.setAttribute("aria-label", count ? `Notices, ${count} not read` : "Notices");
};

const ask = async (link) => {
  if (document.hidden) return;
  try {
    const answer = await fetch(link.dataset.unread);
    if (answer.ok && !answer.redirected) show(link, (await answer.json()).unread);
  } catch {
    // the house does not answer: what was told last stands
  }
};

const link = document.querySelector("[data-unread]");
if (link) setInterval(() => ask(link), EVERY);
