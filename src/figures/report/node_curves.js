"use strict";
// The curve of a node that was chosen in the scene, from the modes: nothing was computed before for it.
(async function () {
  var holder = document.getElementById("node-curves"), source = document.getElementById("node-curves-data");
  var scene = document.getElementById("turning-model");
  if (!holder || !source || !scene || typeof Dygraph === "undefined" || typeof DecompressionStream === "undefined") return;
  var text = atob(source.textContent.trim()), bytes = new Uint8Array(text.length);
  for (var i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
  var stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  var buffer = await new Response(stream).arrayBuffer();
  var length = new DataView(buffer).getUint32(0, true);
  var data = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  var kinds = { Float64: Float64Array, Float32: Float32Array, Int16: Int16Array };
  function numbers(where) { return new kinds[where.type](buffer, 4 + length + where.at, where.size); }
  var denominators = numbers(data.denominators), right = numbers(data.right), positions = numbers(data.positions);
  var scales = numbers(data.scales), base = numbers(data.base), shapes = numbers(data.shapes);
  var m = data.modes, n = data.coordinates, count = data.nodes.length;
  function element(name) { return holder.querySelector("[data-curve=" + name + "]"); }
  function short(value) { return isNaN(value) ? "\u2013" : String(Number(value.toPrecision(4))); }

  // Modal coordinates q of every column of a case at one frequency: pairs of real and imaginary parts, mode by mode.
  // `amplitudes` of the inputs: of each column those of all inputs.
  function coordinates(own, omega, amplitudes) {
    var q = new Float64Array(2 * m * own.columns), c = new Float64Array(2 * n);
    for (var j = 0; j < own.columns; ++j) {
      for (var k = 0; k < n; ++k) {
        var re = 0, im = 0;
        for (var s = 0; s < own.inputs; ++s) {
          var at = 2 * (k + n * s), fr = own.forces[at], fi = own.forces[at + 1];
          if (own.velocity.length) {  // f1/(iω) − i f2/ω²
            fr += own.velocity[at + 1] / omega + own.displacement[at + 1] / (omega * omega);
            fi += -own.velocity[at] / omega - own.displacement[at] / (omega * omega);
          }
          var ar = amplitudes[2 * (s + own.inputs * j)], ai = amplitudes[2 * (s + own.inputs * j) + 1];
          re += fr * ar - fi * ai;
          im += fr * ai + fi * ar;
        }
        var dr = denominators[2 * k] + omega * (denominators[2 * (k + n)] + omega * denominators[2 * (k + 2 * n)]);
        var di = denominators[2 * k + 1] + omega * (denominators[2 * (k + n) + 1] + omega * denominators[2 * (k + 2 * n) + 1]);
        var over = 1 / (dr * dr + di * di);
        c[2 * k] = (re * dr + im * di) * over;
        c[2 * k + 1] = (im * dr - re * di) * over;
      }
      for (k = 0; k < n; ++k)
        for (var r = 0; r < m; ++r) {
          var rr = right[2 * (r + m * k)], ri = right[2 * (r + m * k) + 1];
          q[2 * (r + m * j)] += rr * c[2 * k] - ri * c[2 * k + 1];
          q[2 * (r + m * j) + 1] += rr * c[2 * k + 1] + ri * c[2 * k];
        }
    }
    return q;
  }
  function prepare(own) {
    if (own.q) return;
    own.frequencies = numbers(own.grid);
    own.levels = numbers(own.amplitudes);
    own.directions = numbers(own.base);
    own.forces = numbers(own.forces);
    own.velocity = numbers(own["velocity forces"]);
    own.displacement = numbers(own["displacement forces"]);
    own.q = [];
    var size = 2 * own.inputs * own.columns;
    for (var k = 0; k < own.frequencies.length; ++k)
      own.q.push(coordinates(own, 2 * Math.PI * own.frequencies[k], own.levels.subarray(size * k, size * (k + 1))));
  }

  // Of one node three directions and the whole: amplitudes, or PSDs, SI.
  function answer(own, node, acceleration, omega, q, amplitudes) {
    var squares = [0, 0, 0], first = null;
    for (var j = 0; j < own.columns; ++j) {
      var parts = [];
      for (var d = 0; d < 3; ++d) {
        var row = 3 * node + d, re = 0, im = 0;
        for (var r = 0; r < m; ++r) {
          var phi = scales[r] * shapes[row + 3 * count * r];
          re += phi * q[2 * (r + m * j)];
          im += phi * q[2 * (r + m * j) + 1];
        }
        if (acceleration) {
          re *= -omega * omega;
          im *= -omega * omega;
          for (var b = 0; b < data.motions; ++b) {
            var own_base = base[2 * (row + 3 * count * b)];
            if (own_base === 0) continue;
            for (var s = 0; s < own.inputs; ++s) {
              var at = 2 * (b + data.motions * s), to = 2 * (s + own.inputs * j);
              re += own_base * (own.directions[at] * amplitudes[to] - own.directions[at + 1] * amplitudes[to + 1]);
              im += own_base * (own.directions[at] * amplitudes[to + 1] + own.directions[at + 1] * amplitudes[to]);
            }
          }
        }
        squares[d] += re * re + im * im;
        parts.push([re, im]);
      }
      first = first || parts;
    }
    if (own.random) return [squares[0], squares[1], squares[2], squares[0] + squares[1] + squares[2]];
    var aa = 0, bb = 0, ab = 0;
    first.forEach(function (part) {
      aa += part[0] * part[0];
      bb += part[1] * part[1];
      ab += part[0] * part[1];
    });
    return [Math.sqrt(squares[0]), Math.sqrt(squares[1]), Math.sqrt(squares[2]),
            Math.sqrt(0.5 * (aa + bb + Math.sqrt((aa - bb) * (aa - bb) + 4 * ab * ab)))];
  }

  // The maximum of a curve near its highest point, by a parabola through three points on log-log paper.
  function summit(frequencies, values, k) {
    var f = frequencies, y = values, same = { value: y[k], frequency: f[k] };
    if (k === 0 || k + 1 === f.length || !(y[k - 1] > 0 && y[k + 1] > 0)) return same;
    var a = Math.log(f[k] / f[k - 1]), b = Math.log(f[k + 1] / f[k]);
    if (a < 1e-6 || b < 1e-6) return same;  // a step of the input
    var down = Math.log(y[k] / y[k - 1]) / a, up = Math.log(y[k + 1] / y[k]) / b;
    var curvature = (up - down) / (a + b), slope = down + curvature * a;
    if (!(curvature < 0)) return same;
    var shift = Math.max(-a, Math.min(b, -slope / (2 * curvature)));
    return { value: y[k] * Math.exp(slope * shift + curvature * shift * shift), frequency: f[k] * Math.exp(shift) };
  }

  // For the scene: the frequencies of a case of sines, and the coordinates of the modes at each.
  window.avrenkSweep = function (name) {
    var own = data.cases.find(function (each) { return each.name === name && !each.random; });
    if (!own) return null;
    prepare(own);
    return { frequencies: own.frequencies, coordinates: own.q };
  };
  scene.dispatchEvent(new CustomEvent("sweep-ready"));

  var chosen = -1, graph = null;
  function draw() {
    if (chosen < 0) return;
    var own = data.cases[Number(element("case").value)], acceleration = element("quantity").value === "acceleration";
    prepare(own);
    var kind = acceleration ? data.acceleration : data.length;
    var unit = own.random ? kind["psd unit"] : kind.unit, factor = own.random ? kind["psd factor"] : kind.factor;
    var size = 2 * own.inputs * own.columns, rows = [], tops = [0, 0, 0, 0], where = [0, 0, 0, 0], area = 0, before = null;
    var all = [[], [], [], []], highest = [-1, -1, -1, -1];
    var by = own.order > 0 ? 60 / own.order : 1 / data.frequency.factor;
    for (var k = 0; k < own.frequencies.length; ++k) {
      var f = own.frequencies[k];
      var values = answer(own, chosen, acceleration, 2 * Math.PI * f, own.q[k], own.levels.subarray(size * k, size * (k + 1)));
      for (var d = 0; d < 4; ++d) {
        all[d].push(values[d]);
        if (values[d] > tops[d]) {
          tops[d] = values[d];
          highest[d] = k;
        }
      }
      if (before) area += 0.5 * (f - before[0]) * (values[3] + before[1]);
      before = [f, values[3]];
      rows.push([f * by].concat(values.map(function (value) { return value > 0 ? value / factor : null; })));
    }
    for (d = 0; d < 4; ++d) {
      if (highest[d] < 0) continue;
      var top = summit(own.frequencies, all[d], highest[d]);
      tops[d] = top.value;
      where[d] = top.frequency * by;
    }
    var names = ["x", "y", "z", "magnitude"], x_unit = own.order > 0 ? "rpm" : data.frequency.unit;
    var high = Math.pow(10, Math.ceil(Math.log10(1.2 * tops[3] / factor)));
    var quantity = acceleration ? "acceleration" : "relative displacement";
    var curves = {
      labels: [(own.order > 0 ? "Speed" : "Frequency") + " (" + x_unit + ")"].concat(names), rows: rows,
      colours: ["#0072B2", "#D55E00", "#009E73", "#4b5563"], text_colours: ["#005a8c", "#a84a00", "#00664a", "#4b5563"],
      series: {}, log_y: tops[3] > 0, range: tops[3] > 0 ? [high * 1e-5, high] : null, x_unit: x_unit, y_unit: unit,
      x: (own.order > 0 ? "Speed" : "Frequency") + " (" + x_unit + ")",
      y: (own.random ? "PSD of " + quantity : quantity[0].toUpperCase() + quantity.slice(1) + ", 0 to peak") + " (" + unit + ")"
    };
    var at = [0, 1, 2].map(function (d) { return short(positions[3 * chosen + d] / data.length.factor); });
    var words = ["Node " + (data.nodes[chosen] + 1) + " at (" + at.join(", ") + ") " + data.length.unit +
                 (element("words").dataset.near || "") + ", " + (acceleration ? "absolute " : "") + quantity +
                 " in " + own.name];
    var least = own.random ? 1e-10 : 1e-5, rounding = least * tops[3];  // of the 16 bits of the shapes
    rows.forEach(function (row) {
      for (var d = 0; d < 4; ++d)
        if (tops[d] <= rounding) row[d + 1] = null;
    });
    for (d = 0; d < 4; ++d)
      words.push(tops[d] <= rounding ? names[d] + (tops[3] > 0 ? " less than " + least + " of the magnitude" : " is zero") :
                 names[d] + (own.random ? " highest " : " peaks at ") + short(tops[d] / factor) + " " + unit + " @ " +
                 short(where[d]) + " " + x_unit);
    if (own.random) words.push("RMS of the magnitude's curve " + short(Math.sqrt(area) / kind.factor) + " " + kind.unit);
    element("words").textContent = words.join("; ") + ".";
    holder.hidden = false;
    if (graph) graph.destroy();
    graph = avrenkChart(holder, curves);
  }
  function choose(event) {
    var best = -1, nearest = Infinity, p = event.detail.position;
    for (var k = 0; k < count; ++k) {
      var far = data.nodes[k] === event.detail.node ? -1 :
          Math.hypot(positions[3 * k] - p[0], positions[3 * k + 1] - p[1], positions[3 * k + 2] - p[2]);
      if (far < nearest) {
        nearest = far;
        best = k;
      }
    }
    element("words").dataset.near = nearest > 0 ? ", " + short(nearest / data.length.factor) + " " + data.length.unit +
        " from the one chosen: of a large model the page holds " + count + " nodes" : "";
    chosen = best;
    draw();
  }
  data.cases.forEach(function (own, index) {
    var option = document.createElement("option");
    option.value = String(index);
    option.textContent = own.name;
    element("case").appendChild(option);
  });
  if (!data.relative) element("quantity").querySelector("[value=displacement]").remove();
  element("case").addEventListener("change", draw);
  element("quantity").addEventListener("change", draw);
  scene.addEventListener("node-chosen", choose);
  scene.addEventListener("case-seen", function (event) {  // the case of the view, where it has curves
    var index = data.cases.findIndex(function (own) { return own.name === event.detail; });
    if (index < 0 || element("case").value === String(index)) return;
    element("case").value = String(index);
    draw();
  });
  if (window.avrenkSeen) scene.dispatchEvent(new CustomEvent("case-seen", { detail: window.avrenkSeen }));
  if (window.avrenkChosen) scene.dispatchEvent(new CustomEvent("node-chosen", { detail: window.avrenkChosen }));
})();
