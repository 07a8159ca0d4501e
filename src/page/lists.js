// What took longest, why things were made, and what headers cost: tables with bars.
page.most = 25;

page.groups = {
  "action": { title: "action", key: a => a.output },
  "target": { title: "target, in all variants", key: a => a.target },
  "variant": { title: "variant", key: a => a.variant },
  "kind": { title: "kind of action", key: a => a.action }
};

page.parts.push(function longest() {
  const build = page.shown, before = page.compared, select = d3.select("#longest-by").node();
  d3.select("#longest-part").style("display", build ? null : "none");
  if (!build)
    return;
  const names = Object.keys(page.groups);
  if (!select.options.length)
    page.options("#longest-by", names, n => page.groups[n].title, names[0]);
  const by = names[select.selectedIndex] || names[0], key = page.groups[by].key;
  const sums = page.group(build.actions, list => ({ took: d3.sum(list, a => a.took), count: list.length, first: list[0],
    same: before ? d3.sum(list.filter(a => before.byOutput.has(a.output)), a => a.took) : 0,
    was: before ? d3.sum(list, a => before.byOutput.has(a.output) ? before.byOutput.get(a.output).took : 0) : 0,
    known: before ? list.filter(a => before.byOutput.has(a.output)).length : 0 }), key)
    .sort((a, b) => d3.descending(a[1].took, b[1].took) || d3.ascending(a[0], b[0]));
  const rows = sums.slice(0, page.most), largest = d3.max(rows, r => Math.max(r[1].took, r[1].was)) || 1;
  const columns = [
    { title: page.groups[by].title, kind: "name", cell: (c, r) => c.text(r[0]) },
    by === "action" ? { title: "kind", kind: "dim", cell: (c, r) => c.text(r[1].first.action) }
      : { title: "actions", number: true, cell: (c, r) => c.text(r[1].count) },
    { title: "", kind: "wide", cell: (c, r) => page.bar(c, [{ share: r[1].took / largest, color: "var(--" + (by === "action" || by === "kind" ? r[1].first.action : "compile") + ")" }],
      r[1].known ? r[1].was / largest : null) },
    { title: "time", number: true, cell: (c, r) => c.text(page.seconds(r[1].took)) }];
  if (before)
    columns.push({ title: "against before", number: true,
      cell: (c, r) => r[1].known ? page.change(c, r[1].same - r[1].was, page.seconds) : c.append("span").attr("class", "none").text("not made then") });
  page.table(d3.select("#longest"), columns, rows, "nothing was made");
  if (sums.length > rows.length)
    d3.select("#longest").append("p").attr("class", "hint").text(page.count(sums.length - rows.length, "shorter one", "shorter ones") + ", together " +
      page.seconds(d3.sum(sums.slice(page.most), r => r[1].took)) + ", are not listed." + (before ? " A mark in a bar is the time before." : ""));
  else if (before)
    d3.select("#longest").append("p").attr("class", "hint").text("A mark in a bar is the time before.");
});

page.parts.push(function causes() {
  const build = page.shown;
  d3.select("#causes-part").style("display", build ? null : "none");
  if (!build)
    return;
  const all = page.group(build.actions, list => ({ count: list.length, took: d3.sum(list, a => a.took) }), a => a.because)
    .sort((a, b) => d3.descending(a[1].count, b[1].count) || d3.ascending(a[0], b[0]));
  const rows = all.slice(0, 12), largest = d3.max(rows, r => r[1].count) || 1;
  page.table(d3.select("#causes"), [
    { title: "cause", kind: "name", cell: (c, r) => c.text(r[0]) },
    { title: "", kind: "wide", cell: (c, r) => page.bar(c, [{ share: r[1].count / largest, color: "var(--accent)" }]) },
    { title: "actions", number: true, cell: (c, r) => c.text(d3.format(",")(r[1].count)) },
    { title: "time", number: true, cell: (c, r) => c.text(page.seconds(r[1].took)) }], rows, "nothing was made");
  if (all.length > rows.length)
    d3.select("#causes").append("p").attr("class", "hint").text(page.count(all.length - rows.length, "more cause", "more causes") + " of " +
      page.count(d3.sum(all.slice(12), r => r[1].count), "action", "actions") + ".");
});

page.orders = [
  ["time brought in", h => h.milliseconds], ["time saved without it", h => h.savedTime],
  ["lines brought in", h => h.brought], ["lines saved without it", h => h.saved], ["compiles that read it", h => h.compiles]];

page.parts.push(function headers() {
  const select = d3.select("#headers-by").node(), all = page.data.headers.rows.map(r => ({
    header: r[0], compiles: r[1], lines: r[2], brought: r[3], saved: r[4], milliseconds: r[5], savedTime: r[6] }));
  const timed = all.some(h => h.milliseconds > 0);
  const orders = timed ? page.orders : page.orders.slice(2);
  if (!select.options.length)
    page.options("#headers-by", orders, o => o[0], orders[0]);
  const order = orders[select.selectedIndex] || orders[0], system = d3.select("#headers-system").property("checked");
  const rows = all.filter(h => system || !h.header.startsWith("/")).sort((a, b) => d3.descending(order[1](a), order[1](b)) || d3.ascending(a.header, b.header));
  const bar = timed ? [h => h.milliseconds, h => h.savedTime] : [h => h.brought, h => h.saved];
  const shown = rows.slice(0, page.most), largest = d3.max(shown, bar[0]) || 1;
  const columns = [
    { title: "header", kind: "name", cell: (c, h) => c.text(h.header) },
    { title: "", kind: "wide", cell: (c, h) => page.bar(c, [{ share: bar[0](h) / largest, color: "var(--compile)", part: true }, { share: bar[1](h) / largest, color: "var(--compile)" }]) },
    { title: "compiles", number: true, cell: (c, h) => c.text(d3.format(",")(h.compiles)) },
    { title: "own lines", number: true, cell: (c, h) => c.text(d3.format(",")(h.lines)) },
    { title: "brought in", number: true, cell: (c, h) => c.text(d3.format(",")(h.brought)) },
    { title: "saved without", number: true, cell: (c, h) => c.text(d3.format(",")(h.saved)) }];
  if (timed)
    columns.push({ title: "time", number: true, cell: (c, h) => c.text(page.seconds(h.milliseconds)) },
      { title: "saved", number: true, cell: (c, h) => c.text(page.seconds(h.savedTime)) });
  page.table(d3.select("#headers"), columns, shown, "no headers are read");
  const left = rows.length - shown.length + (page.data.headers.count - all.length);
  if (left > 0)
    d3.select("#headers").append("p").attr("class", "hint").text(page.count(left, "cheaper one", "cheaper ones") + " not listed.");
});
