"use strict";
// Turns each figure that brings its curves into one that zooms and reads out; the fixed figure stays a button away.
(function () {
  function plain(value) {
    var rounded = Number(value.toPrecision(6));
    return rounded < 1e-3 ? rounded.toExponential() : String(rounded);
  }
  // 1, 2 and 5 of each decade have labels, all in a narrow range, decades alone in a wide one.
  function decadeTicks(from, to) {
    var inner = 1 + 1e-9;  // a tick on the very edge would be left out
    var ticks = [];
    for (var decade = Math.pow(10, Math.floor(Math.log10(from))); decade <= to * 1.0001; decade *= 10) {
      for (var k = 1; k < 10; ++k) {
        var value = k * decade;
        if (value < from * 0.9999 || value > to * 1.0001) continue;  // ends by rounding are ticks too
        var major = k === 1 || ((k === 2 || k === 5) && to / from < 2000) || to / from < 12;
        ticks.push({ v: Math.min(Math.max(value, from * inner), to / inner), label: major ? plain(value) : "" });
      }
    }
    if (ticks.length > 2) return ticks;
    ticks = [];
    for (var i = 0; i <= 4; ++i) {
      var at = from * Math.pow(to / from, i / 4);
      ticks.push({ v: at, label: String(Number(at.toPrecision(4))) });
    }
    return ticks;
  }
  function short(value) { return String(Number(value.toPrecision(4))); }
  // Lines on points of their own as rows of one table: between its points each is straight, as it is drawn.
  function rowsOf(curves) {
    var grid = [];
    curves.lines.forEach(function (line) { grid = grid.concat(line[0]); });
    grid = grid.sort(function (a, b) { return a - b; }).filter(function (x, k, all) { return k === 0 || x !== all[k - 1]; });
    var rows = grid.map(function (x) { return [x]; });
    curves.lines.forEach(function (line) {
      var xs = line[0], ys = line[1], k = 0;
      rows.forEach(function (row) {
        var x = row[0];
        while (k + 1 < xs.length && xs[k + 1] <= x) ++k;
        if (x < xs[0] || x > xs[xs.length - 1]) return row.push(null);
        if (x === xs[k] || k + 1 === xs.length) return row.push(ys[k]);
        if (ys[k] === null || ys[k + 1] === null) return row.push(null);
        var part = Math.log(x / xs[k]) / Math.log(xs[k + 1] / xs[k]);
        row.push(curves.log_y ? ys[k] * Math.pow(ys[k + 1] / ys[k], part) : ys[k] + part * (ys[k + 1] - ys[k]));
      });
    });
    return rows;
  }
  // A chart of some curves in the .plot of a holder, whose .readout names them.
  window.avrenkChart = function (holder, curves) {
    var readout = holder.querySelector(".readout");
    var hint = "Point at a curve to read it. Drag to zoom, Shift and drag to move.";
    // The names of the curves in their colours, with their values where the pointer is.
    function tell(where, values) {
      readout.textContent = "";
      curves.labels.slice(1).forEach(function (name, index) {
        var part = document.createElement("span"), value = values[name];
        part.textContent = "\u25AC " + name + (value === undefined || value === null || isNaN(value) ? "" :
                                               ": " + short(value) + " " + curves.y_unit);
        part.style.color = curves.text_colours[index];
        readout.appendChild(part);
      });
      var last = document.createElement("span");
      last.textContent = where;
      readout.appendChild(last);
    }
    var graph = new Dygraph(holder.querySelector(".plot"), curves.rows || rowsOf(curves), {
      labels: curves.labels, colors: curves.colours, strokeWidth: 1.8, series: curves.series,
      logscale: curves.log_y, valueRange: curves.range, xlabel: curves.x, ylabel: curves.y,
      legend: "never", gridLineColor: "#d5d9e0", axisLineColor: "#6b7280",
      highlightCircleSize: 4, labelsKMB: false, digitsAfterDecimal: 4, rightGap: 24, yLabelWidth: 18, xRangePad: 0,
      axes: {
        x: { logscale: true, ticker: function (a, b) { return decadeTicks(a, b); }, valueFormatter: short,
             axisLabelWidth: 60 },
        y: Object.assign({ axisLabelWidth: 66, axisLabelFormatter: short },
                         curves.log_y ? { ticker: function (a, b) { return decadeTicks(a, b); } } : {})
      },
      highlightCallback: function (event, x, points) {
        var values = {};
        points.forEach(function (point) { values[point.name] = point.yval; });
        tell(short(x) + " " + curves.x_unit, values);
      },
      unhighlightCallback: function () { tell(hint, {}); }
    });
    tell(hint, {});
    return graph;
  };
  function show(figure, holder) {
    var fixed = figure.querySelector(".fixed");
    holder.hidden = false;
    fixed.style.display = "none";
    var graph = avrenkChart(holder, JSON.parse(document.getElementById(holder.id + "-data").textContent));
    var back = document.createElement("button"), swap = document.createElement("button");
    back.type = swap.type = "button";
    back.textContent = "Whole range";
    back.addEventListener("click", function () { graph.resetZoom(); });
    swap.textContent = "Show the printed figure";
    swap.addEventListener("click", function () {
      var printed = fixed.style.display !== "none";
      fixed.style.display = printed ? "none" : "block";
      swap.textContent = printed ? "Show the printed figure" : "Hide the printed figure";
    });
    holder.appendChild(back);
    holder.appendChild(swap);
  }
  var waiting = new Map();
  document.querySelectorAll("figure").forEach(function (figure) {
    var holder = figure.querySelector(".curves");
    if (holder) waiting.set(figure, holder);
  });
  // A chart needs a width: those inside folded parts wait until they are opened.
  function showVisible() {
    waiting.forEach(function (holder, figure) {
      if (figure.offsetParent === null) return;
      waiting.delete(figure);
      show(figure, holder);
    });
  }
  document.querySelectorAll("details").forEach(function (part) { part.addEventListener("toggle", showVisible); });
  showVisible();
})();
