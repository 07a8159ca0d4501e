// The page as a whole: what is chosen, and when it is drawn again.
page.draw = function () { page.parts.forEach(part => part()); };

page.choose = function (build) {
  page.shown = build;
  page.compared = page.before(build);
  page.draw();
};

page.read();
document.title = page.data.project + ", build report";
d3.select("#project").text(page.data.project);
d3.select("#written").text("written " + page.when(page.data.written));
d3.select("#shown").on("change", function () { page.choose(page.builds[this.selectedIndex]); });
d3.select("#compared").on("change", function () {
  page.compared = [null].concat(page.builds.filter(b => b !== page.shown))[this.selectedIndex];
  page.draw();
});
d3.selectAll("#longest-by, #headers-by, #headers-system, #program").on("change", page.draw);
d3.select("#theme").on("click", function () {
  const root = document.documentElement, dark = root.dataset.theme ? root.dataset.theme === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.theme = dark ? "light" : "dark";
  page.draw();
});
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", page.draw);
let waiting = null, wide = innerWidth;
addEventListener("resize", function () {
  if (innerWidth === wide)
    return;
  wide = innerWidth;
  clearTimeout(waiting);
  waiting = setTimeout(page.draw, 120);
});
page.draw();
