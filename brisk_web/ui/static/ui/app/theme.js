// Day and night: the choice is kept in a cookie, so that the server sends pages in it; without one the system decides.
const root = document.documentElement;
if (!root.classList.contains("day") && !root.classList.contains("night")) {
  if (window.matchMedia("(prefers-color-scheme: dark)").matches) root.classList.add("night");
}
document.addEventListener("click", (event) => {
  if (!event.target.closest("[data-theme-switch]")) return;
  const next = root.classList.contains("night") ? "day" : "night";
  root.classList.remove("day", "night");
  root.classList.add(next);
  document.cookie = `brisk-theme=${next};path=/;max-age=31536000;samesite=lax`;
});

