// What a report shows, compared with its data: a list of what differs.
(function (data) {
  const wrong = [], all = (selector, of) => Array.from((of || document).querySelectorAll(selector));
  const is = (what, shown, known) => { if (String(shown) !== String(known)) wrong.push(what + ": shown " + shown + ", known " + known); };
  const time = ms => ms < 1000 ? ms + " ms" : ms < 60000 ? (ms / 1000).toFixed(2) + " s" : Math.floor(ms / 60000) + " min " + Math.round(ms % 60000 / 1000) + " s";
  const comma = n => String(n).replace(/\B(?=(\d{3})+$)/g, ",");
  const rows = selector => all(selector + " tbody tr").map(r => all("td", r).map(c => c.textContent));
  const choose = (selector, i) => { const s = document.querySelector(selector); s.selectedIndex = i; s.dispatchEvent(new Event("change")); };
  const sum = list => list.reduce((a, b) => a + b, 0);

  is("project", document.querySelector("#project").textContent, data.project);
  is("builds", all(".build").length, data.builds.length);
  for (let i = 0; i < data.builds.length; i++) {
    const b = data.builds[i], label = all(".build")[i].getAttribute("aria-label"), n = b.actions.length;
    is("label of build " + i, label.includes(", " + time(b.milliseconds) + ", " + n + (n === 1 ? " action" : " actions")), true);
    choose("#shown", i);
    const longest = b.actions.slice().sort((x, y) => y.milliseconds - x.milliseconds || (x.output < y.output ? -1 : 1));
    const shown = rows("#longest");
    is("longest of build " + i, shown.length, Math.min(25, n));
    shown.forEach(function (r, k) {
      is("action " + k, r[0], longest[k].output);
      is("kind " + k, r[1], longest[k].action);
      is("time " + k, r[3], time(longest[k].milliseconds));
    });
    const causes = new Map();
    b.actions.forEach(a => causes.set(a.because, (causes.get(a.because) || 0) + 1));
    for (const r of rows("#causes"))
      is("actions because " + r[0], r[2], comma(causes.get(r[0])));
    is("causes of build " + i, rows("#causes").length, Math.min(12, causes.size));
    // The time line: each action is told of when the keys come to it.
    const frame = document.querySelector("#time [tabindex]"), told = new Set(), key = k => frame.dispatchEvent(new KeyboardEvent("keydown", { key: k }));
    const slots = new Set(b.actions.map(a => a.slot)).size;
    for (let s = 0; s < slots; s++) {
      key("Home");
      for (let k = 0; k < n; k++) {
        told.add(document.querySelector("#time-detail b").textContent);
        key("ArrowRight");
      }
      key("ArrowDown");
    }
    is("actions on the time line of build " + i, Array.from(told).sort().join(), Array.from(new Set(b.actions.map(a => a.action + " " + a.output))).sort().join());
  }

  const headers = data.headers.filter(h => !h.header.startsWith("/"));
  is("headers", rows("#headers").length, Math.min(25, headers.length));
  for (const r of rows("#headers")) {
    const h = headers.find(x => x.header === r[0]);
    is(r[0], r.slice(2, 6).join(), [h.compiles, h.lines, h["lines-brought-in"], h["lines-saved-without"]].map(comma).join());
    if (r.length > 6)
      is("time of " + r[0], r.slice(6).join(), time(h["milliseconds-estimated"]) + "," + time(h["milliseconds-saved-without"]));
  }

  is("programs", all("#program option").length, data.programs.length);
  data.programs.forEach(function (p, i) {
    choose("#program", i);
    const shown = rows("#regions");
    is("regions of " + p.program, shown.length, p.regions.length || 4);
    p.regions.forEach(function (g, k) {
      is("region " + g.region, shown[k].slice(2, 4).join(), comma(g.used) + "," + comma(g.length));
      is("budget of " + g.region, shown[k][5], g.budget === null ? "none" : comma(g.budget) + (g.used > g.budget ? ", overrun" : ""));
      const area = all(".area").find(a => a.dataset.path === g.region);
      is("area of " + g.region, area ? area.getAttribute("aria-label") : "", g.used ? g.region + ", " + comma(g.used) + (g.used === 1 ? " byte" : " bytes") : "");
    });
    if (!p.regions.length)
      ["code", "constants", "data", "zeroed"].forEach((k, n) => is(k, shown[n][2], comma(sum(p.sources.map(s => s[k])))));
    const loaded = sum(p.sections.map(s => s["loaded-from"] ? s.size : 0));
    is("all of " + p.program, document.querySelector("#way-up button").textContent, p.program + ", " + comma(sum(p.sections.map(s => s.size)) + loaded) + " bytes");
  });

  is("images", all(".image").length, data.images.length);
  data.images.forEach(function (g, i) {
    const label = all(".image svg")[i].getAttribute("aria-label");
    for (const part of g.parts)
      is("part of " + g.image, label.includes((part.part === null ? "a gap" : part.part) + " at 0x" + part.address.toString(16).padStart(8, "0") + ", " + part.bytes + " bytes"), true);
  });

  const last = new Map();
  data.tests.forEach(run => run.tests.forEach(t => last.set(t.test + (t.case === null ? "" : ": " + t.case) + "|" + t.variant, t)));
  const variants = all("#tests th").slice(1).map(h => h.textContent);
  let cells = 0;
  for (const r of rows("#tests"))
    variants.forEach(function (v, k) {
      const t = last.get(r[0] + "|" + v);
      cells += t ? 1 : 0;
      is(r[0] + " in " + v, r[k + 1], !t ? "not run" : (t.outcome === "skipped" ? "skipped" : t.outcome + ", " + time(t.milliseconds)) + (t.because || ""));
    });
  is("tests", cells, last.size);
  return wrong;
})
