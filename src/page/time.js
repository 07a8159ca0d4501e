// When each action ran: a line for each slot, like the lines of a score, and the longest way through them.
page.parts.push(function time() {
  const into = d3.select("#time"), build = page.shown, detail = d3.select("#time-detail");
  into.selectAll("*").remove();
  d3.select("#time-key").selectAll("*").remove();
  detail.text("");
  d3.select("#time-part").style("display", build ? null : "none");
  if (!build)
    return;
  const way = d3.sum(build.way, a => a.took);
  d3.select("#time-lead").html("").call(function (p) {
    p.append("b").text(page.seconds(build.milliseconds));
    p.append("span").text(" on " + page.count(build.slots, "slot", "slots") + " of " + build.jobs + " for " + page.seconds(build.work) +
      " of work. The longest way, actions that waited for each other, took ");
    p.append("b").text(page.seconds(way));
    p.append("span").text(": no number of slots makes the build shorter than that." +
      (build.count > build.actions.length ? " Only the " + d3.format(",")(build.actions.length) + " longest actions are drawn." : ""));
  });
  const verbs = Array.from(new Set(build.actions.map(a => a.action)));
  const key = d3.select("#time-key");
  for (const verb of verbs)
    key.append("span").call(s => { s.append("i").style("background", page.verbColor(verb)); s.append("span").text(verb); });
  if (build.way.length)
    key.append("span").call(s => { s.append("i").attr("class", "way"); s.append("span").text("the longest way"); });
  if (build.actions.some(a => a.taken))
    key.append("span").call(s => { s.append("i").attr("class", "taken"); s.append("span").text("taken from the store"); });

  const slots = d3.max(build.actions, a => a.slot) + 1 || 1, left = 52, right = 34, top = 8, axis = 24;
  const lane = Math.max(9, Math.min(34, Math.floor(560 / slots)));
  const width = into.node().clientWidth, height = top + slots * lane;
  const end = Math.max(1, build.milliseconds, d3.max(build.actions, a => a.began + a.took) || 0);
  const whole = d3.scaleLinear([0, end], [left, width - right]);
  let x = whole, selected = null;
  const lanes = d3.range(slots).map(s => build.actions.filter(a => a.slot === s).sort((a, b) => a.began - b.began));

  const frame = into.append("div").attr("tabindex", 0).attr("role", "application")
    .attr("aria-label", "Time line of " + page.count(build.count, "action", "actions") + " on " + page.count(slots, "slot", "slots") +
      ". Arrow keys go from action to action, W along the longest way, plus and minus zoom.");
  const canvas = frame.append("canvas").node(), scale = window.devicePixelRatio || 1;
  canvas.width = width * scale;
  canvas.height = height * scale;
  canvas.style.width = width + "px";
  canvas.style.height = height + "px";
  const ticks = into.append("svg").attr("width", width).attr("height", axis).attr("aria-hidden", "true")
    .append("g").attr("class", "axis").attr("transform", "translate(0,2)");
  const context = canvas.getContext("2d");
  const middle = a => top + a.slot * lane + lane / 2;

  function draw() {
    const ink = page.color("ink"), line = page.color("line"), soft = page.color("soft"), sheet = page.color("sheet");
    const colors = new Map(verbs.map(v => [v, page.verbColor(v)])), thick = Math.max(5, lane * 0.62);
    context.setTransform(scale, 0, 0, scale, 0, 0);
    context.clearRect(0, 0, width, height);
    context.font = "11px 'DejaVu Sans', sans-serif";
    context.textBaseline = "middle";
    for (let s = 0; s < slots; s++) {
      context.fillStyle = line;
      context.fillRect(left, top + s * lane + lane / 2, width - left - right, 1);
      context.fillStyle = soft;
      if (lane > 11 || s % 4 === 0)
        context.fillText("slot " + (s + 1), 0, top + s * lane + lane / 2);
    }
    context.save();
    context.beginPath();
    context.rect(left, 0, width - left - right + 2, height);
    context.clip();
    for (const of of lanes) {
      let filled = -1; // bars narrower than a pixel are drawn once
      for (const a of of) {
        const from = x(a.began), to = Math.max(from + 1, x(a.began + a.took) - (x(a.took) - x(0) > 4 ? 1 : 0));
        if (to < left || from > width || (to - from <= 1 && Math.floor(from) === filled && !build.onWay.has(a)))
          continue;
        filled = Math.floor(from);
        context.fillStyle = colors.get(a.action);
        if (a.taken) {
          context.strokeStyle = colors.get(a.action);
          context.lineWidth = 1.5;
          context.strokeRect(from + 0.75, middle(a) - thick / 2 + 0.75, Math.max(0.5, to - from - 1.5), thick - 1.5);
        } else
          context.fillRect(from, middle(a) - thick / 2, to - from, thick);
        if (to - from > 60 && lane > 17) {
          const name = page.short(a.output.split("/").pop(), Math.floor((to - from - 8) / 6.6));
          context.fillStyle = a.taken ? ink : sheet;
          context.fillText(name, Math.max(from, left) + 5, middle(a) + 0.5);
        }
      }
    }
    context.strokeStyle = ink;
    build.way.forEach(function (a, i) { // along the lower edge of its actions; thin where it waits
      const y = middle(a) + thick / 2 + 1, last = build.way[i - 1];
      if (last) {
        context.lineWidth = 1;
        context.setLineDash([2, 3]);
        context.beginPath();
        context.moveTo(x(last.began + last.took), middle(last) + thick / 2 + 1);
        context.lineTo(x(a.began), y);
        context.stroke();
      }
      context.lineWidth = 3;
      context.setLineDash([]);
      context.beginPath();
      context.moveTo(x(a.began), y);
      context.lineTo(x(a.began + a.took), y);
      context.stroke();
    });
    if (selected) {
      context.strokeStyle = page.color("focus");
      context.lineWidth = 2.5;
      context.strokeRect(x(selected.began) - 1.5, middle(selected) - thick / 2 - 2.5, Math.max(3, x(selected.began + selected.took) - x(selected.began) + 2), thick + 5);
    }
    context.restore();
    ticks.call(d3.axisBottom(x).ticks(Math.max(3, width / 120)).tickFormat(page.moment).tickSizeOuter(0));
  }

  function tell(a) {
    selected = a;
    detail.selectAll("*").remove();
    if (a) {
      detail.append("b").text(a.action + " " + a.output);
      const before = page.compared && page.compared.byOutput.get(a.output);
      detail.append("span").text(" \u2014 " + page.seconds(a.took) + (a.taken ? ", taken from the store" : "") + ", " + a.target + " in " + a.variant +
        ", from " + page.seconds(a.began) + " on slot " + (a.slot + 1) + (build.onWay.has(a) ? ", on the longest way" : "") +
        "; because " + a.because + (before ? "; " + page.seconds(before.took) + " in the build it is compared with" : "") + ".");
      const shift = x(a.began) < left || x(a.began + a.took) > width - right;
      if (shift)
        d3.select(canvas).call(zoom.translateTo, whole(a.began + a.took / 2), 0);
    }
    draw();
  }

  function at(px, py) {
    const slot = Math.floor((py - top) / lane), moment = x.invert(px), near = x.invert(px + 2) - moment;
    return (lanes[slot] || []).find(a => moment >= a.began - near && moment <= a.began + a.took + near) || null;
  }

  const zoom = d3.zoom().scaleExtent([1, Math.max(2, end / 4)]).extent([[left, 0], [width - right, height]])
    .translateExtent([[left, 0], [width - right, height]])
    .filter(function (event) { const e = event || d3.event; return !e.button && (e.type !== "wheel" || e.ctrlKey); })
    .on("zoom", function () { x = d3.zoomTransform(canvas).rescaleX(whole); draw(); });
  d3.select(canvas).call(zoom).on("dblclick.zoom", null);
  const under = event => { const box = canvas.getBoundingClientRect(); return at(event.clientX - box.left, event.clientY - box.top); };
  canvas.addEventListener("click", event => tell(under(event)));
  canvas.addEventListener("mousemove", function (event) { canvas.title = (under(event) || { output: "" }).output; });

  function nearest(list, moment) {
    return list.reduce((best, a) => Math.abs(a.began + a.took / 2 - moment) < Math.abs(best.began + best.took / 2 - moment) ? a : best);
  }
  frame.node().addEventListener("keydown", function (event) {
    if (!build.actions.length)
      return;
    const now = selected || lanes.find(l => l.length)[0];
    const mine = lanes[now.slot], i = mine.indexOf(now), moment = now.began + now.took / 2;
    const go = {
      ArrowRight: () => mine[i + 1] || now, ArrowLeft: () => mine[i - 1] || now, Home: () => mine[0], End: () => mine[mine.length - 1],
      ArrowDown: () => nearest(lanes.slice(now.slot + 1).find(l => l.length) || [now], moment),
      ArrowUp: () => nearest(lanes.slice(0, now.slot).reverse().find(l => l.length) || [now], moment),
      w: () => build.way.length ? build.way[(build.way.indexOf(now) + 1) % build.way.length] : now
    }[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (go) {
      event.preventDefault();
      tell(selected ? go() : event.key.toLowerCase() === "w" ? go() : now);
    } else if (event.key === "+" || event.key === "-")
      d3.select(canvas).call(zoom.scaleBy, event.key === "+" ? 1.6 : 1 / 1.6);
    else if (event.key === "Escape")
      d3.select(canvas).call(zoom.transform, d3.zoomIdentity);
  });
  d3.select("#closer").on("click", () => d3.select(canvas).call(zoom.scaleBy, 1.6));
  d3.select("#farther").on("click", () => d3.select(canvas).call(zoom.scaleBy, 1 / 1.6));
  d3.select("#whole").on("click", () => d3.select(canvas).call(zoom.transform, d3.zoomIdentity));
  draw();
});
