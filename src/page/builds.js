// The last builds as a strip, and which of them is shown.
page.parts.push(function builds() {
  const into = d3.select("#builds"), builds = page.builds;
  into.selectAll("*").remove();
  d3.select("#builds-lead").text(builds.length
    ? "The last " + page.count(builds.length, "build", "builds") + " that made something, the newest on the right: how long each took, and how many actions it had. Choose one to look at it." +
      (page.data.buildsLeftOut ? " " + page.count(page.data.buildsLeftOut, "older one has", "older ones have") + " no room here." : "")
    : "No build has been recorded yet: build something, then write this report again.");
  d3.selectAll("#builds-part .choice").style("display", builds.length ? null : "none");
  if (!builds.length)
    return;
  const width = into.node().clientWidth, height = 118, floor = 84;
  const x = d3.scaleBand(builds.map(b => b.number), [0, Math.min(width, builds.length * 88)]).padding(0.18);
  const y = d3.scaleSqrt([0, d3.max(builds, b => b.milliseconds) || 1], [0, floor - 18]);
  const svg = into.append("svg").attr("width", width).attr("height", height).attr("role", "group").attr("aria-label", "Builds");
  const g = svg.selectAll("g").data(builds).join("g").attr("tabindex", 0).attr("role", "button")
    .attr("class", b => "build" + (b === page.shown ? " shown" : "") + (b.failed ? " failed-build" : ""))
    .attr("aria-pressed", b => b === page.shown)
    .attr("aria-label", b => page.when(b.started) + ", " + page.seconds(b.milliseconds) + ", " + page.count(b.count, "action", "actions") + (b.failed ? ", failed" : ""))
    .attr("transform", b => "translate(" + x(b.number) + ",0)");
  page.on(g, "click", (event, b) => page.choose(b));
  page.on(g, "keydown", function (event, b) { if (event.key === "Enter" || event.key === " ") { event.preventDefault(); page.choose(b); } });
  g.append("title").text(b => page.when(b.started) + (b.failed ? ", failed" : ""));
  g.append("rect").attr("class", "back").attr("width", x.bandwidth()).attr("height", height);
  g.append("rect").attr("class", "body").attr("width", x.bandwidth()).attr("y", b => floor - Math.max(2, y(b.milliseconds)))
    .attr("height", b => Math.max(2, y(b.milliseconds)));
  const middle = x.bandwidth() / 2, fits = x.bandwidth() > 66;
  g.append("text").attr("x", middle).attr("text-anchor", "middle").attr("y", b => floor - Math.max(2, y(b.milliseconds)) - 4)
    .text(b => fits ? page.seconds(b.milliseconds) : "");
  g.append("text").attr("class", "dim").attr("x", middle).attr("text-anchor", "middle").attr("y", floor + 15)
    .text(b => fits ? page.count(b.count, "action", "actions") : b.count);
  g.append("text").attr("class", "dim").attr("x", middle).attr("text-anchor", "middle").attr("y", floor + 30)
    .text(b => b.failed ? "failed" : b === page.shown ? "shown" : b === page.compared ? "compared" : "");
  const label = b => page.when(b.started) + ", " + page.count(b.count, "action", "actions") + ", " + page.seconds(b.milliseconds);
  page.options("#shown", builds, label, page.shown);
  page.options("#compared", [null].concat(builds.filter(b => b !== page.shown)), b => b ? label(b) : "nothing", page.compared);
});
