// Tables that are wider than their place scroll inside it; those that do can be reached and moved by keys.
const mark = () => {
  for (const place of document.querySelectorAll(".wide-table")) {
    if (place.scrollWidth > place.clientWidth) place.tabIndex = 0;
    else place.removeAttribute("tabindex");
  }
};
new ResizeObserver(mark).observe(document.documentElement);
document.addEventListener("brisk:refreshed", mark);
mark();
