// What takes memory: regions against their budgets, and nested areas by region, section, source and symbol.
page.treeOf = function (program) {
  const root = { name: program.program, children: new Map(), value: 0 };
  const child = (node, name) => {
    if (!node.children.has(name))
      node.children.set(name, { name, children: new Map(), value: 0 });
    return node.children.get(name);
  };
  const sections = new Map(program.sections.map(s => [s.section, s]));
  for (const s of program.symbols) {
    const section = sections.get(s[1]), region = section && section.region;
    let node = program.regions.length ? child(root, region || "(in no region)") : root;
    node = child(child(node, s[1]), s[2] || "(no source)");
    child(node, s[0]).value += s[3];
  }
  for (const s of program.sections) // what is loaded elsewhere takes place there, too
    if (s["loaded-from"])
      child(child(root, s["loaded-from"]), s.section + " (its contents at start)").value += s.size;
  const plain = n => n.children.size ? { name: n.name, children: Array.from(n.children.values(), plain) } : { name: n.name, value: n.value };
  return plain(root);
};

page.parts.push(function memory() {
  const programs = page.data.programs, select = d3.select("#program").node();
  d3.selectAll("#memory-part > :not(h2)").style("display", programs.length ? null : "none");
  if (!programs.length)
    return d3.select("#memory-part").selectAll("p.none").data([0]).join("p").attr("class", "none").text("No program that is built is among what was asked for.");
  if (!select.options.length)
    page.options("#program", programs, p => p.program + " in " + p.variant, programs.find(p => p.regions.length) || programs[0]);
  const program = programs[select.selectedIndex];
  d3.select("#programs-left-out").text(page.data.programsLeftOut ? page.count(page.data.programsLeftOut, "more program has", "more programs have") + " no room here: name fewer targets or variants." : "");
  page.regionTable(program);
  page.areas(program);
});

// The same program in the build that is compared, or in the document that was named when the report was written.
page.earlier = function (program) {
  if (program.against)
    return program.against;
  const builds = page.compared ? page.builds.slice(0, page.compared.number + 1) : [];
  for (const b of builds.reverse()) {
    const same = b.programs.find(p => p.program === program.program && p.variant === program.variant);
    if (same)
      return same;
  }
  return null;
};

page.regionTable = function (program) {
  const before = page.earlier(program), into = d3.select("#regions");
  const kinds = ["code", "constants", "data", "zeroed"];
  const was = name => { const r = before && before.regions.find(r => r.region === name); return r ? r.used : null; };
  const hint = () => into.append("p").attr("class", "hint").text((before ? "A thin mark in a bar is the use before" + (program.against ? "" : ", in the build that is compared with, or the last one before it that linked the program") + ". " : "") +
    (program.regions.some(r => r.budget) ? "The taller, red one is the budget. " : "") + (program.against ? "Below, what has changed is outlined." : ""));
  if (program.regions.length) {
    page.table(into, [
      { title: "region", cell: (c, r) => c.text(r.region) },
      { title: "", kind: "wide", cell: (c, r) => page.bar(c, [{ share: r.used / r.length, color: r.budget && r.used > r.budget ? "var(--grown)" : "var(--compile)" }],
        was(r.region) === null ? null : was(r.region) / r.length, r.budget ? r.budget / r.length : null) },
      { title: "used", number: true, cell: (c, r) => c.text(page.bytes(r.used)) },
      { title: "of bytes", number: true, cell: (c, r) => c.text(page.bytes(r.length)) },
      { title: "full", number: true, cell: (c, r) => c.text((100 * r.used / r.length).toFixed(1) + " %") },
      { title: "budget", number: true, cell: (c, r) => c.append("span").attr("class", r.budget && r.used > r.budget ? "failed" : null)
        .text(!r.budget ? "none" : page.bytes(r.budget) + (r.used > r.budget ? ", overrun" : "")) },
      { title: "against before", number: true, cell: (c, r) => page.change(c, was(r.region) === null ? null : r.used - was(r.region), page.bytes) }],
      program.regions, "");
    return hint();
  }
  const sums = kinds.map(k => ({ kind: k, bytes: program.sums[k], was: before && before[k] !== undefined ? before[k] : null }));
  const all = d3.sum(sums, s => s.bytes) || 1;
  page.table(into, [
    { title: "kind of bytes", cell: (c, r) => c.text({ code: "code", constants: "constants", data: "data, loaded and written", zeroed: "data, zero at start" }[r.kind]) },
    { title: "", kind: "wide", cell: (c, r) => page.bar(c, [{ share: r.bytes / all, color: "var(--compile)" }], r.was === null ? null : r.was / all) },
    { title: "bytes", number: true, cell: (c, r) => c.text(page.bytes(r.bytes)) },
    { title: "against before", number: true, cell: (c, r) => page.change(c, r.was === null ? null : r.bytes - r.was, page.bytes) }], sums, "");
  hint();
};

// The bytes of each path of names in another tree.
page.sizesOf = function (tree) {
  const sizes = new Map();
  d3.hierarchy(tree).sum(d => d.value || 0).each(n => sizes.set(n.ancestors().reverse().slice(1).map(a => a.data.name).join("\n"), n.value));
  return sizes;
};

page.areas = function (program) {
  const into = d3.select("#areas"), width = into.node().clientWidth, height = 430, head = 18;
  const all = d3.hierarchy(page.treeOf(program)).sum(d => d.value || 0).sort((a, b) => d3.descending(a.value, b.value));
  const before = program.against ? page.sizesOf(page.treeOf(program.against)) : null;
  const path = n => n.ancestors().reverse().slice(1).map(a => a.data.name).join("\n");
  const colors = [page.color("compile"), page.color("archive"), page.color("image"), page.color("link"), page.color("assemble"), page.color("step")];
  const top = new Map(all.children ? all.children.map((c, i) => [c.data.name, colors[i % colors.length]]) : []);
  const ink = page.color("ink"), sheet = page.color("sheet");

  function tell(n) {
    const was = before ? before.get(path(n)) : undefined;
    d3.select("#areas-detail").text((path(n).split("\n").join(" \u203a ") || program.program) + ": " + page.count(n.value, "byte", "bytes") + ", " +
      (100 * n.value / all.value).toFixed(1) + " % of all" + (before ? was === undefined ? "; new" : was === n.value ? "; as before" : "; " + page.bytes(was) + " before" : "") +
      (n.children ? "; Enter or a click opens it" : "") + ".");
  }

  function show(root) {
    into.selectAll("*").remove();
    d3.select("#areas-detail").text("");
    const up = d3.select("#way-up");
    up.selectAll("*").remove();
    root.ancestors().reverse().forEach(n => up.append("button").attr("type", "button").property("disabled", n === root)
      .text(n.data.name + ", " + page.bytes(n.value) + " bytes").on("click", () => show(n)));
    const deep = d3.hierarchy(root.data).sum(d => d.value || 0).sort((a, b) => d3.descending(a.value, b.value));
    d3.treemap().size([width, height]).paddingOuter(2).paddingTop(n => n.children && n.depth ? head : 2).paddingInner(1).round(true)(deep);
    const real = new Map(), pair = (copy, node) => { real.set(copy, node); (copy.children || []).forEach((c, i) => pair(c, node.children[i])); };
    pair(deep, root);
    const svg = into.append("svg").attr("width", width).attr("height", height).attr("role", "group").attr("aria-label", "Nested areas of " + root.data.name);
    const visible = deep.descendants().filter(n => n.depth && n.x1 - n.x0 >= 3 && n.y1 - n.y0 >= 3);
    const g = svg.selectAll("g").data(visible).join("g").attr("class", n => "area" + (n.children ? " opens" : ""))
      .attr("transform", n => "translate(" + n.x0 + "," + n.y0 + ")")
      .attr("tabindex", n => n.depth <= 2 ? 0 : -1).attr("role", "button")
      .attr("aria-label", n => n.data.name + ", " + page.count(n.value, "byte", "bytes"))
      .attr("data-path", n => path(real.get(n)));
    page.on(g, "focus", (event, n) => tell(real.get(n)));
    page.on(g, "mouseenter", (event, n) => tell(real.get(n)));
    page.on(g, "click", (event, n) => { if (n.children) show(real.get(n)); });
    page.on(g, "keydown", (event, n) => { if (event.key === "Enter" && n.children) show(real.get(n)); });
    const grown = n => { const was = before ? before.get(path(real.get(n))) : undefined; const by = was === undefined ? 0 : n.value - was; return by ? (by > 0 ? " +" : " \u2212") + page.bytes(Math.abs(by)) : before && was === undefined ? " new" : ""; };
    const hue = n => { let m = real.get(n); while (m.depth > 1) m = m.parent; return d3.color(top.get(m.data.name) || ink); };
    g.append("rect").attr("width", n => n.x1 - n.x0).attr("height", n => n.y1 - n.y0)
      .attr("fill", n => d3.interpolateRgb(hue(n), sheet)([0, 0.86, 0.74, 0.6, 0.45][Math.min(4, real.get(n).depth)])).attr("stroke-width", 1)
      .style("stroke", n => !n.children && grown(n) ? page.color("grown") : null).style("stroke-width", n => !n.children && grown(n) ? 2 : null);
    const room = n => Math.floor((n.x1 - n.x0 - 8) / 7.1);
    const name = n => n.children ? n.data.name.split("/").pop().replace(/^.*\.a\((.*)\)$/, "$1") : n.data.name; // members of archives by their own
    const cut = (text, most) => text.length <= most ? text : text.slice(0, most - 1) + "\u2026";
    g.filter(n => room(n) >= Math.min(6, name(n).length) && n.y1 - n.y0 >= 16).append("text").attr("x", 4).attr("y", 13)
      .attr("font-weight", n => n.children && n.depth === 1 ? 600 : null)
      .text(n => { const full = name(n) + "  " + page.bytes(n.value) + grown(n); return full.length <= room(n) ? full : grown(n) && room(n) > grown(n).length + 3 ? cut(name(n), room(n) - grown(n).length) + grown(n) : cut(name(n), room(n)); });
  }
  show(all);
};
