// Searches the index that stands beside the pages: every word must be there; headings count more than text.
(() => {
  const box = document.getElementById("search");
  const list = document.getElementById("found");
  const safe = (text) => text.replace(/[&<>"]/g, (sign) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[sign]);

  function score(entry, words) {
    const title = entry.title.toLowerCase(), page = entry.page.toLowerCase(), text = entry.text.toLowerCase();
    let sum = 0;
    for (const word of words) {
      const here = (title.includes(word) ? 12 : 0) + (page.includes(word) ? 4 : 0) + Math.min(text.split(word).length - 1, 5);
      if (!here) return 0;
      sum += here + (title === word ? 20 : 0);
    }
    return sum;
  }

  function around(entry, words) {
    const at = Math.max(entry.text.toLowerCase().indexOf(words[0]), 0);
    const begin = Math.max(at - 50, 0);
    let piece = safe((begin ? "… " : "") + entry.text.slice(begin, begin + 150));
    for (const word of words) {
      piece = piece.replace(new RegExp(safe(word).replace(/[.*+?^${}()|[\]\\]/g, "\\$&"), "gi"), (found) => `<mark>${found}</mark>`);
    }
    return piece;
  }

  function show() {
    const words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
    list.hidden = !words.length;
    if (!words.length) return;
    const found = (window.searchIndex || []).map((entry) => [score(entry, words), entry]).filter(([points]) => points);
    found.sort((one, other) => other[0] - one[0]);
    list.innerHTML = found.slice(0, 12).map(([, entry]) =>
      `<li><a href="${safe(window.searchBase + entry.url)}"><b>${safe(entry.title)}</b> <small>${safe(entry.page)}</small><small>${around(entry, words)}</small></a></li>`
    ).join("") || "<li><a>Nothing has all of these words.</a></li>";
  }

  box.addEventListener("input", show);
  document.addEventListener("keydown", (event) => {
    if (event.key === "/" && !/input|textarea/i.test(document.activeElement.tagName)) { event.preventDefault(); box.focus(); }
    if (event.key === "Escape") { box.value = ""; show(); box.blur(); }
    const links = [...list.querySelectorAll("a")];
    const at = links.indexOf(document.activeElement);
    if (event.key === "ArrowDown" && !list.hidden) { event.preventDefault(); (links[at + 1] || links[0]).focus(); }
    if (event.key === "ArrowUp" && at >= 0) { event.preventDefault(); (links[at - 1] || box).focus(); }
  });
  document.addEventListener("click", (event) => { if (!event.target.closest(".search")) list.hidden = true; });
})();
