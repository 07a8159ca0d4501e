// Images by address, and tests by variant.
page.parts.push(function images() {
  const into = d3.select("#images"), images = page.data.images;
  into.selectAll("*").remove();
  if (!images.length)
    return into.append("p").attr("class", "none").text("No image that is built is among what was asked for.");
  const width = into.node().clientWidth, colors = ["compile", "archive", "image", "link", "assemble", "step"];
  const hex = n => "0x" + n.toString(16).padStart(8, "0");
  for (const image of images) {
    const box = into.append("div").attr("class", "image"), start = image.parts.length ? image.parts[0].address : 0;
    box.append("h3").text(image.image + " ").append("span").text("in " + image.variant + ", " + page.count(image.bytes, "byte", "bytes") +
      (image.address === null ? "; addresses count from its start" : ""));
    const x = d3.scaleLinear([start, start + Math.max(1, image.bytes)], [0, width]);
    const svg = box.append("svg").attr("width", width).attr("height", 54).attr("role", "img")
      .attr("aria-label", image.parts.map(p => (p.part || "a gap") + " at " + hex(p.address) + ", " + p.bytes + " bytes").join("; "));
    const g = svg.selectAll("g").data(image.parts).join("g").attr("transform", p => "translate(" + x(p.address) + ",0)");
    const wide = p => Math.max(1, x(p.address + p.bytes) - x(p.address));
    g.append("title").text(p => (p.part || "(gap)") + ", " + page.count(p.bytes, "byte", "bytes") + " at " + hex(p.address));
    g.append("rect").attr("width", p => Math.max(1, wide(p) - 1)).attr("height", 30).attr("rx", 1)
      .attr("fill", (p, i) => p.part ? page.color(colors[i % colors.length]) : page.color("faint")).attr("fill-opacity", p => p.part ? 0.75 : 1);
    g.filter(p => wide(p) > 40).append("text").attr("x", 5).attr("y", 19)
      .text(p => page.short((p.part || "gap") + "  " + page.bytes(p.bytes), Math.floor((wide(p) - 8) / 6.8)));
    g.filter(p => wide(p) > 84).append("text").attr("class", "dim").attr("x", 0).attr("y", 46).text(p => hex(p.address));
  }
});

page.parts.push(function tests() {
  const tests = page.data.tests.rows.map(r => ({ test: r[0], variant: r[1], outcome: r[2], because: r[3], took: r[4], at: r[5] }));
  const variants = Array.from(new Set(tests.map(t => t.variant))), largest = d3.max(tests, t => t.took) || 1;
  const failed = tests.filter(t => t.outcome === "failed").length;
  const rows = page.group(tests, list => new Map(list.map(t => [t.variant, t])), t => t.test)
    .sort((a, b) => d3.descending(d3.max(a[1].values(), t => t.outcome === "failed" ? 1e12 : t.took), d3.max(b[1].values(), t => t.outcome === "failed" ? 1e12 : t.took)));
  d3.select("#tests-lead").text(tests.length ? "The last time that each was run, the longest first: " + page.count(tests.length - failed - tests.filter(t => t.outcome === "skipped").length, "passed", "passed") + ", " + failed + " failed, " +
    tests.filter(t => t.outcome === "skipped").length + " skipped." +
    (page.data.tests.count > tests.length ? " " + page.count(page.data.tests.count - tests.length, "more has", "more have") + " no room here." : "") : "");
  const table = page.table(d3.select("#tests"), [{ title: "test", kind: "name", cell: (c, r) => c.text(r[0]) }].concat(variants.map(v => ({
    title: v, cell: function (c, r) {
      const t = r[1].get(v);
      if (!t)
        return c.append("span").attr("class", "none").text("not run");
      c.append("span").attr("class", t.outcome === "failed" ? "failed" : t.outcome === "skipped" ? "none" : null)
        .text(t.outcome === "skipped" ? "skipped" : t.outcome + ", " + page.seconds(t.took));
      if (t.outcome !== "skipped")
        page.bar(c, [{ share: t.took / largest, color: t.outcome === "failed" ? "var(--grown)" : "var(--less)" }]);
      if (t.because)
        c.append("div").attr("class", "hint").text(t.because);
      return c;
    } }))), rows, "No test has been run yet.");
  table.style("min-width", (12 + 9 * variants.length) + "rem");
});
