// The data of the page, unpacked: rows of columns become objects, numbers of strings become strings.
"use strict";
const page = { parts: [], shown: null, compared: null };

page.read = function () {
  const packed = JSON.parse(document.getElementById("data").textContent);
  const text = i => packed.strings[i];
  page.data = packed;
  page.builds = packed.builds.map(function (b, number) {
    const c = b.actions;
    const actions = c.output.map((o, i) => ({
      number: i, action: text(c.action[i]), output: text(o), target: text(c.target[i]), variant: text(c.variant[i]),
      because: text(c.because[i]), began: c.began[i], took: c.milliseconds[i], slot: c.slot[i], taken: c.taken[i] === 1
    }));
    const byOutput = new Map(actions.map(a => [a.output, a]));
    const way = b.way.map(i => byOutput.get(text(i))).filter(a => a);
    return Object.assign({}, b, { number, actions, byOutput, way, onWay: new Set(way) });
  });
  page.shown = page.builds.length ? page.builds[page.builds.length - 1] : null;
  page.compared = page.before(page.shown);
};

// The build before one that made something of the same: else none.
page.before = function (build) {
  for (let i = build ? build.number - 1 : -1; i >= 0; i--)
    if (build.actions.some(a => page.builds[i].byOutput.has(a.output)))
      return page.builds[i];
  return null;
};

// [key, sum] of each group of a list.
page.group = function (list, sum, key) {
  const groups = new Map();
  for (const of of list) {
    const k = key(of);
    if (groups.has(k))
      groups.get(k).push(of);
    else
      groups.set(k, [of]);
  }
  return Array.from(groups, g => [g[0], sum(g[1])]);
};

// Calls f(event, datum), whichever version of the library passes what.
page.on = function (selection, name, f) {
  selection.each(function (d) { this.addEventListener(name, event => f(event, d)); });
};

page.seconds = function (ms) {
  return ms < 1000 ? Math.round(ms) + " ms" : ms < 60000 ? (ms / 1000).toFixed(2) + " s"
    : Math.floor(ms / 60000) + " min " + Math.round(ms % 60000 / 1000) + " s";
};
page.moment = ms => ms < 1000 ? ms + " ms" : ms < 60000 ? +(ms / 1000).toFixed(2) + " s" : Math.floor(ms / 60000) + ":" + String(Math.floor(ms % 60000 / 1000)).padStart(2, "0") + " min";
page.bytes = n => d3.format(",")(n);
page.when = ms => new Date(ms).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "medium" });
page.count = (n, one, many) => d3.format(",")(n) + " " + (n === 1 ? one : many);
page.color = name => getComputedStyle(document.documentElement).getPropertyValue("--" + name).trim();
page.verbColor = verb => page.color(["compile", "assemble", "archive", "link", "step", "image"].includes(verb) ? verb : "soft");

// A change, with its sign and a word, so that colour alone says nothing.
page.change = function (cell, difference, format) {
  if (difference === null)
    return cell.text("");
  if (difference === 0)
    return cell.append("span").attr("class", "none").text("same");
  return cell.append("span").attr("class", difference > 0 ? "grown" : "less")
    .text((difference > 0 ? "+" : "\u2212") + format(Math.abs(difference)));
};

// A table: columns are {title, number, cell(selection, row)}; rows of any kind.
page.table = function (into, columns, rows, none) {
  into.selectAll("*").remove();
  if (!rows.length)
    return into.append("p").attr("class", "none").text(none);
  const table = into.append("table");
  table.append("thead").append("tr").selectAll("th").data(columns).join("th")
    .attr("scope", "col").attr("class", c => c.number ? "number" : null).text(c => c.title);
  const row = table.append("tbody").selectAll("tr").data(rows).join("tr");
  for (const c of columns)
    row.append("td").attr("class", c.number ? "number" : c.kind || null).each(function (r) { c.cell(d3.select(this), r); });
  return table;
};

// A bar in a cell: `parts` are {share, color, part}; `before` and `limit` are shares or null.
page.bar = function (cell, parts, before, limit) {
  const bar = cell.append("div").attr("class", "bar").attr("aria-hidden", "true");
  for (const p of parts)
    bar.append("i").attr("class", p.part ? "part" : null).style("width", (100 * Math.min(1, p.share)) + "%")
      .style("background", p.color);
  if (before !== null && before !== undefined)
    bar.append("i").attr("class", "before").style("left", (100 * Math.min(1, before)) + "%");
  if (limit !== null && limit !== undefined)
    bar.append("i").attr("class", "limit").style("left", (100 * Math.min(1, limit)) + "%");
};

page.options = function (select, values, label, chosen) {
  d3.select(select).selectAll("option").data(values).join("option")
    .attr("value", (v, i) => i).property("selected", v => v === chosen).text(label);
};

// Shortened in the middle, where names of files say least.
page.short = function (text, most) {
  if (text.length <= most)
    return text;
  const behind = Math.ceil((most - 1) * 0.65);
  return text.slice(0, Math.max(0, most - 1 - behind)) + "\u2026" + text.slice(text.length - behind);
};
