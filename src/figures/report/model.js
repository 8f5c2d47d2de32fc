"use strict";
// The model as a scene that is turned, played and probed. Its file is binary glTF 2.0, read here; three.js draws it.
(async function () {
  var holder = document.getElementById("turning-model"), source = document.getElementById("turning-model-data");
  if (!holder || !source || typeof THREE === "undefined") return;
  var canvas = holder.querySelector("canvas");
  var context = canvas.getContext("webgl", { antialias: true, alpha: false, preserveDrawingBuffer: true });
  if (!context) return;  // the still picture stays
  var renderer = new THREE.WebGLRenderer({ canvas: canvas, context: context });

  // The file, compressed: a header, a chunk of JSON, a chunk of numbers.
  if (typeof DecompressionStream === "undefined") return;
  var text = atob(source.textContent.trim()), bytes = new Uint8Array(text.length);
  for (var i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
  var stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  bytes = new Uint8Array(await new Response(stream).arrayBuffer());
  var view32 = new DataView(bytes.buffer), jsonLength = view32.getUint32(12, true);
  var gltf = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + jsonLength)));
  var begin = 20 + jsonLength + 8;
  var arrays = { 5122: Int16Array, 5123: Uint16Array, 5125: Uint32Array, 5126: Float32Array };
  function numbers(index) {
    var accessor = gltf.accessors[index], view = gltf.bufferViews[accessor.bufferView];
    var Kind = arrays[accessor.componentType];
    return new Kind(bytes.buffer.slice(begin + view.byteOffset, begin + view.byteOffset + view.byteLength));
  }
  var extras = gltf.asset.extras, notes = extras.notes, unit = extras.unit;
  var rest = numbers(gltf.meshes[0].primitives[0].attributes.POSITION), count = rest.length / 3;
  var nodeOf = numbers(extras.indices.node), partOf = numbers(extras.indices.part);
  var homeOf = {};  // of each node a vertex that stands where it is
  var atNode = numbers(extras.indices["at node"]);
  for (i = 0; i < count; ++i) if (atNode[i] === 1 && homeOf[nodeOf[i]] === undefined) homeOf[nodeOf[i]] = i;

  // Of a shape the factor from its numbers to metres; four numbers a vertex, the last empty.
  function shape(index) {
    if (index < 0) return null;
    var own = extras.shapes[index];
    return { numbers: numbers(own.accessor), factor: own.largest / 32767 };
  }
  function values(index) {
    if (index < 0) return null;
    var own = extras.values[index], raw = numbers(own.accessor), all = new Float64Array(count);
    for (var k = 0; k < count; ++k) all[k] = raw[k] === 65535 ? NaN : raw[k] * own.largest / 65534;
    return { all: all, largest: own.largest };
  }

  var scene = new THREE.Scene(), camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1e3, 1e3);
  scene.background = new THREE.Color(0xffffff);
  scene.add(new THREE.AmbientLight(0xffffff, 0.62));
  var lamp = new THREE.DirectionalLight(0xffffff, 0.42);
  camera.add(lamp);
  lamp.position.set(-0.4, 0.8, 1);
  scene.add(camera);
  camera.up.set(0, 0, 1);
  var positions = new THREE.BufferAttribute(new Float32Array(rest), 3);
  var colours = new THREE.BufferAttribute(new Float32Array(rest.length), 3);
  var model = new THREE.Group(), surfaces = [], cut = new THREE.Plane(new THREE.Vector3(1, 0, 0), 1e9);
  var primitives = gltf.meshes.reduce(function (all, mesh) { return all.concat(mesh.primitives); }, []);
  primitives.forEach(function (primitive) {
    var geometry = new THREE.BufferGeometry(), own = gltf.materials[primitive.material], lines = primitive.mode === 1;
    geometry.setAttribute("position", positions);
    geometry.setAttribute("color", colours);
    geometry.setIndex(new THREE.BufferAttribute(numbers(primitive.indices), 1));
    var base = own.pbrMetallicRoughness.baseColorFactor;
    var plain = new THREE.Color(base[0], base[1], base[2]).convertLinearToSRGB();
    var material = lines ? new THREE.LineBasicMaterial({ color: plain }) :
                           new THREE.MeshPhongMaterial({ color: plain, flatShading: true, side: THREE.DoubleSide, shininess: 0,
                                                         specular: 0x000000, polygonOffset: true, polygonOffsetFactor: 1,
                                                         polygonOffsetUnits: 1 });
    material.clippingPlanes = [cut];
    var object = lines ? new THREE.LineSegments(geometry, material) : new THREE.Mesh(geometry, material);
    object.frustumCulled = false;
    object.userData = { name: own.name, plain: plain, lines: lines };
    surfaces.push(object);
    model.add(object);
  });
  scene.add(model);
  renderer.localClippingEnabled = true;
  var box = new THREE.Box3();
  for (i = 0; i < count; ++i) box.expandByPoint(new THREE.Vector3(rest[3 * i], rest[3 * i + 1], rest[3 * i + 2]));
  var middle = box.getCenter(new THREE.Vector3()), reach = 0.5 * box.getSize(new THREE.Vector3()).length();
  var pick = new THREE.Mesh(new THREE.SphereBufferGeometry(0.012 * reach, 16, 12),
                            new THREE.MeshBasicMaterial({ color: 0xd00000, depthTest: false }));
  pick.visible = false;
  pick.renderOrder = 9;
  scene.add(pick);

  var controls = new THREE.OrbitControls(camera, canvas);
  controls.target.copy(middle);
  controls.enableKeys = false;
  controls.screenSpacePanning = true;
  var across = reach, up = reach;  // what a view has to hold, from its middle
  function look(azimuth, elevation) {
    var a = azimuth * Math.PI / 180, e = elevation * Math.PI / 180;
    camera.position.set(middle.x + 10 * reach * Math.cos(e) * Math.cos(a), middle.y + 10 * reach * Math.cos(e) * Math.sin(a),
                        middle.z + 10 * reach * Math.sin(e));
    controls.target.copy(middle);
    camera.zoom = 1;
    controls.update();
    camera.updateMatrixWorld();
    across = up = 1e-9;
    var point = new THREE.Vector3();
    for (var k = 0; k < count; ++k) {
      point.set(rest[3 * k], rest[3 * k + 1], rest[3 * k + 2]).sub(middle).transformDirection(camera.matrixWorldInverse);
      var far = Math.hypot(rest[3 * k] - middle.x, rest[3 * k + 1] - middle.y, rest[3 * k + 2] - middle.z);
      across = Math.max(across, Math.abs(point.x) * far);
      up = Math.max(up, Math.abs(point.y) * far);
    }
    draw();
  }

  // What is shown now.
  var now = { view: null, real: null, imaginary: null, value: null, phase: 0, scale: 1, largest: 0, vertex: -1,
              playing: false, sweep: null };
  function element(name) { return holder.querySelector("[data-model=" + name + "]"); }
  function short(value) { return isNaN(value) ? "\u2013" : String(Number(value.toPrecision(4))); }

  // Displacement of a vertex at the instant, m; and the largest of its cycle.
  function moved(k, out) {
    var c = Math.cos(now.phase), s = Math.sin(now.phase), d;
    for (d = 0; d < 3; ++d) {
      out[d] = 0;
      if (now.real) out[d] += now.real.factor * now.real.numbers[4 * k + d] * c;
      if (now.imaginary) out[d] -= now.imaginary.factor * now.imaginary.numbers[4 * k + d] * s;
    }
    return out;
  }
  function amplitude(k) {
    var aa = 0, bb = 0, ab = 0;
    for (var d = 0; d < 3; ++d) {
      var a = now.real ? now.real.factor * now.real.numbers[4 * k + d] : 0;
      var b = now.imaginary ? now.imaginary.factor * now.imaginary.numbers[4 * k + d] : 0;
      aa += a * a;
      bb += b * b;
      ab += a * b;
    }
    return Math.sqrt(0.5 * (aa + bb + Math.sqrt((aa - bb) * (aa - bb) + 4 * ab * ab)));
  }

  // The motion of a case at one of its frequencies, from the modes and the shapes beside them.
  var pieces = null;
  function put(k) {
    var sweep = now.sweep, q = sweep.coordinates[k], real = new Float32Array(4 * count), imaginary = new Float32Array(4 * count);
    pieces = pieces || notes.swept.map(function (each) { return { of: each, shape: shape(each.shape) }; });
    pieces.forEach(function (part) {
      var re = 0, im = 0;
      if (part.of.weights)
        part.of.weights.forEach(function (weight, r) {
          re += weight * q[2 * r];
          im += weight * q[2 * r + 1];
        });
      else {
        re = q[2 * part.of.coordinate];
        im = q[2 * part.of.coordinate + 1];
      }
      re *= part.shape.factor;
      im *= part.shape.factor;
      for (var i = 0; i < 4 * count; ++i) {
        real[i] += re * part.shape.numbers[i];
        imaginary[i] += im * part.shape.numbers[i];
      }
    });
    now.real = { numbers: real, factor: 1 };
    now.imaginary = { numbers: imaginary, factor: 1 };
    element("frequency").value = String(k);
    element("picked").textContent = short(sweep.frequencies[k] / notes.frequency.factor) + " " + notes.frequency.unit;
  }
  // Of a view at any frequency the nearest to that at which its case was seen last, Hz, or to the one it begins with.
  var seenAt = {};
  function sweepOf(view) {
    var sweep = view.picked > 0 && window.avrenkSweep ? window.avrenkSweep(view.group) : null;
    element("sweep").hidden = !sweep;
    now.sweep = sweep;
    if (!sweep) return;
    var k = 0, f = sweep.frequencies, from = seenAt[view.group] || view.picked;
    for (var i = 1; i < f.length; ++i) if (Math.abs(f[i] - from) < Math.abs(f[k] - from)) k = i;
    element("frequency").max = String(f.length - 1);
    put(k);
  }
  function measure() {
    now.largest = 0;
    if (now.real)
      for (var k = 0; k < count; ++k) now.largest = Math.max(now.largest, amplitude(k));
  }

  function place() {
    var step = [0, 0, 0], array = positions.array, size = now.largest > 0 ? now.scale / now.largest : 0;
    for (var k = 0; k < count; ++k) {
      if (size > 0) moved(k, step);
      for (var d = 0; d < 3; ++d) array[3 * k + d] = rest[3 * k + d] + size * step[d];
    }
    positions.needsUpdate = true;
    surfaces.forEach(function (each) { each.geometry.boundingSphere = null; });
    mark();
  }

  // Colours of a view: from a value of each vertex, else from displacement, else of the parts.
  function paint() {
    var view = now.view, byValue = now.value !== null || now.real !== null, top = 0, low = 0, k;
    var own = new Float64Array(count);
    if (byValue) {
      for (k = 0; k < count; ++k) {
        own[k] = now.value ? now.value.all[k] : amplitude(k);
        if (own[k] > top) top = own[k];
      }
      low = view.logarithmic ? top * 1e-4 : 0;
      for (k = 0; k < count; ++k) {
        var part = view.logarithmic ? Math.log(Math.max(own[k], low) / low) / Math.log(top / low) : own[k] / top;
        var at = isNaN(own[k]) || top <= 0 ? null : Math.min(1, Math.max(0, part)) * (notes.colours.length - 1);
        var c = at === null ? [0.72, 0.74, 0.77] : notes.colours[Math.round(at)];
        for (var d = 0; d < 3; ++d) colours.array[3 * k + d] = c[d];
      }
      colours.needsUpdate = true;
    }
    surfaces.forEach(function (each) {
      if (each.userData.lines) return;
      each.material.vertexColors = byValue ? THREE.VertexColors : THREE.NoColors;
      each.material.color.copy(byValue ? new THREE.Color(1, 1, 1) : each.userData.plain);
      each.material.needsUpdate = true;
    });
    var bar = element("bar");
    bar.hidden = !byValue;
    var inUnit = now.value ? 1 / view.factor : 1 / notes.length.factor;
    bar.querySelector(".bar-title").textContent =
        now.value ? view.title + " (" + view.unit + ")" :
        view.mode ? "Displacement, part of the largest" : "Displacement, largest of the cycle (" + notes.length.unit + ")";
    var ends = view.mode && !now.value ? [0, 1] : [low * inUnit, top * inUnit];
    bar.querySelector(".bar-low").textContent = short(ends[0]);
    bar.querySelector(".bar-high").textContent = short(ends[1]);
    now.top = top;
  }

  function tell() {
    var out = element("readout"), k = now.vertex;
    if (k < 0) {
      out.textContent = "Point at the model to read a node; click to keep it. Drag to turn, wheel or pinch to zoom, right " +
          "button or two fingers to move. Keys: arrows turn, + and \u2212 zoom, space plays.";
      return;
    }
    var node = nodeOf[k], home = homeOf[node], view = now.view, parts = [];
    var at = [0, 1, 2].map(function (d) { return short(rest[3 * home + d] * unit / notes.length.factor); });
    parts.push("Node " + (node + 1) + " at (" + at.join(", ") + ") " + notes.length.unit);
    if (partOf[k] >= 0) parts.push("of " + notes.parts[partOf[k]]);
    if (now.real) {
      var step = moved(home, [0, 0, 0]), f = view.mode ? now.top : notes.length.factor, u = view.mode ? "" : " " + notes.length.unit;
      parts.push("displacement " + (now.sweep ? "at " + element("picked").textContent + " " : "") + "now (" + step.map(function (x) { return short(x / f); }).join(", ") + ")" + u);
      parts.push("largest " + short(amplitude(home) / f) + (view.mode ? " of the largest" : u));
    }
    if (now.value) {
      var value = now.value.all[k];
      if (isNaN(value))  // of a node that was named, the largest of the parts that meet there
        for (var j = 0; j < count; ++j)
          if (nodeOf[j] === node && !(value >= now.value.all[j]) && !isNaN(now.value.all[j])) value = now.value.all[j];
      parts.push(view.title + " " + short(value / view.factor) + " " + view.unit);
    }
    out.textContent = parts.join("; ");
  }
  function mark() {
    pick.visible = now.vertex >= 0;
    if (now.vertex < 0) return;
    var k = now.vertex, a = positions.array;
    pick.position.set(a[3 * k], a[3 * k + 1], a[3 * k + 2]);
    pick.scale.setScalar(1 / camera.zoom);
  }

  function draw() {
    var width = canvas.clientWidth, height = canvas.clientHeight;
    if (width === 0) return;
    if (canvas.width !== Math.round(width * renderer.getPixelRatio()) ||
        canvas.height !== Math.round(height * renderer.getPixelRatio()))
      renderer.setSize(width, height, false);
    var ratio = width / height, half = 1.15 * Math.max(up, across / ratio);  // with room for what moves
    camera.left = -half * ratio;
    camera.right = half * ratio;
    camera.top = half;
    camera.bottom = -half;
    camera.updateProjectionMatrix();
    mark();
    renderer.render(scene, camera);
  }

  function show(index) {
    now.view = notes.views[index];
    now.real = shape(now.view.real);
    now.imaginary = shape(now.view.imaginary);
    now.value = values(now.view.value);
    sweepOf(now.view);
    measure();
    element("view").value = String(index);
    element("words").textContent = now.view.words;
    window.avrenkSeen = now.view.group;
    holder.dispatchEvent(new CustomEvent("case-seen", { detail: now.view.group }));
    element("play").disabled = !now.real;
    if (!now.real) play(false);
    paint();
    place();
    tell();
    draw();
  }

  var last = 0;
  function frame(time) {
    if (!now.playing) return;
    now.phase = (now.phase + 2 * Math.PI * Math.max(0, Math.min(0.1, (time - last) / 1000)) / 2) % (2 * Math.PI);
    last = time;
    element("phase").value = String(Math.round(now.phase * 180 / Math.PI));
    place();
    tell();
    draw();
    requestAnimationFrame(frame);
  }
  function play(on) {
    now.playing = on && now.real !== null;
    element("play").textContent = now.playing ? "Stop" : "Play";
    if (!now.playing) return;
    last = performance.now();
    requestAnimationFrame(frame);
  }

  // The vertex nearest to where a pointer meets a surface.
  var ray = new THREE.Raycaster(), mouse = new THREE.Vector2(), kept = false, down = null;
  function under(event) {
    var area = canvas.getBoundingClientRect();
    mouse.set(2 * (event.clientX - area.left) / area.width - 1, 1 - 2 * (event.clientY - area.top) / area.height);
    ray.setFromCamera(mouse, camera);
    var hits = ray.intersectObjects(surfaces.filter(function (each) { return each.visible && !each.userData.lines; }));
    for (var h = 0; h < hits.length; ++h) {
      if (cut.distanceToPoint(hits[h].point) < 0) continue;
      var best = -1, nearest = Infinity;
      [hits[h].face.a, hits[h].face.b, hits[h].face.c].forEach(function (k) {
        var a = positions.array, far = hits[h].point.distanceTo(new THREE.Vector3(a[3 * k], a[3 * k + 1], a[3 * k + 2]));
        if (nodeOf[k] >= 0 && far < nearest) {
          nearest = far;
          best = k;
        }
      });
      return best;
    }
    return -1;
  }
  // Others on the page are told which node was kept, and which case is looked at.
  function announce() {
    if (now.vertex < 0) return;
    var home = homeOf[nodeOf[now.vertex]];
    window.avrenkChosen = { node: nodeOf[now.vertex],
                            position: [0, 1, 2].map(function (d) { return rest[3 * home + d] * unit; }) };
    holder.dispatchEvent(new CustomEvent("node-chosen", { detail: window.avrenkChosen }));
  }
  function choose(vertex) {
    now.vertex = vertex;
    if (vertex >= 0) element("node").value = String(nodeOf[vertex] + 1);
    tell();
    draw();
  }
  canvas.addEventListener("pointermove", function (event) {
    if (!kept && event.buttons === 0) choose(under(event));
  });
  canvas.addEventListener("pointerdown", function (event) {
    if (event.isPrimary) down = [event.clientX, event.clientY];
  });
  // No click: what turns the scene keeps fingers from making any.
  canvas.addEventListener("pointerup", function (event) {
    var from = down;
    if (!event.isPrimary || event.button !== 0 || !from) return;
    down = null;
    if (Math.hypot(event.clientX - from[0], event.clientY - from[1]) > 4) return;  // it was turned
    var vertex = under(event);
    kept = vertex >= 0;
    choose(vertex);
    announce();
  });
  function nodeNamed(number) {
    var home = homeOf[number - 1];
    kept = home !== undefined;
    choose(kept ? home : -1);
    announce();
    if (!kept) element("readout").textContent = "There is no node " + number + " in the scene.";
  }
  element("node").addEventListener("change", function (event) { nodeNamed(Number(event.target.value)); });

  canvas.addEventListener("keydown", function (event) {
    var turn = 0.12, offset = camera.position.clone().sub(controls.target), ball = new THREE.Spherical();
    var swap = new THREE.Quaternion().setFromUnitVectors(camera.up, new THREE.Vector3(0, 1, 0));
    ball.setFromVector3(offset.applyQuaternion(swap));
    if (event.key === "ArrowLeft") ball.theta -= turn;
    else if (event.key === "ArrowRight") ball.theta += turn;
    else if (event.key === "ArrowUp") ball.phi = Math.max(0.01, ball.phi - turn);
    else if (event.key === "ArrowDown") ball.phi = Math.min(Math.PI - 0.01, ball.phi + turn);
    else if (event.key === "+" || event.key === "=") camera.zoom *= 1.15;
    else if (event.key === "-") camera.zoom /= 1.15;
    else if (event.key === " ") play(!now.playing);
    else return;
    event.preventDefault();
    offset.setFromSpherical(ball).applyQuaternion(swap.inverse());
    camera.position.copy(controls.target).add(offset);
    controls.update();
    draw();
  });
  controls.addEventListener("change", draw);

  // The list of views, by their groups.
  var groups = {};
  notes.views.forEach(function (view, index) {
    if (!groups[view.group]) {
      groups[view.group] = document.createElement("optgroup");
      groups[view.group].label = view.group;
      element("view").appendChild(groups[view.group]);
    }
    var option = document.createElement("option");
    option.value = String(index);
    option.textContent = view.name;
    groups[view.group].appendChild(option);
  });
  element("view").addEventListener("change", function (event) { show(Number(event.target.value)); });
  element("play").addEventListener("click", function () { play(!now.playing); });
  element("phase").addEventListener("input", function (event) {
    play(false);
    now.phase = Number(event.target.value) * Math.PI / 180;
    place();
    tell();
    draw();
  });
  element("frequency").addEventListener("input", function (event) {
    var k = Number(event.target.value);
    seenAt[now.view.group] = now.sweep.frequencies[k];
    put(k);
    measure();
    paint();
    place();
    tell();
    draw();
  });
  holder.addEventListener("sweep-ready", function () {
    if (now.view && now.view.picked > 0) show(notes.views.indexOf(now.view));
  });
  element("scale").addEventListener("input", function (event) {
    now.scale = Number(event.target.value);
    place();
    draw();
  });
  // A half-space of the model is cut off square to an axis.
  function slice() {
    var axis = element("axis").value, part = Number(element("cut").value), n = new THREE.Vector3();
    element("cut").disabled = axis === "";
    if (axis === "") cut.set(new THREE.Vector3(1, 0, 0), 1e9);
    else {
      n[axis] = -1;
      cut.set(n, box.min[axis] + part * (box.max[axis] - box.min[axis]));
    }
    draw();
  }
  element("axis").addEventListener("change", slice);
  element("cut").addEventListener("input", slice);
  [["above", -62, 24], ["x", 0, 0], ["y", 90, 0], ["z", -90, 89.9]].forEach(function (each) {
    element("look-" + each[0]).addEventListener("click", function () { look(each[1], each[2]); });
  });
  var list = element("parts"), known = {};
  surfaces.forEach(function (each) {
    var name = each.userData.name;
    if (!known[name]) {
      known[name] = [];
      var label = document.createElement("label"), box = document.createElement("input");
      box.type = "checkbox";
      box.checked = true;
      box.addEventListener("change", function () {
        known[name].forEach(function (object) { object.visible = box.checked; });
        draw();
      });
      label.appendChild(box);
      label.appendChild(document.createTextNode(" " + name));
      list.appendChild(label);
    }
    known[name].push(each);
  });

  element("bar").querySelector(".bar-colours").style.background = "linear-gradient(to right," +
      notes.colours.map(function (c) {
        return "rgb(" + c.map(function (x) { return Math.round(255 * x); }).join(",") + ")";
      }).join(",") + ")";

  holder.hidden = false;
  var still = holder.parentNode.querySelector(".fixed");
  if (still) still.classList.add("beside-scene");
  renderer.setPixelRatio(Math.min(2, window.devicePixelRatio || 1));
  look(-62, 24);
  show(0);
  // A view, a node and a frequency (Hz) may be part of the address: #model-view-3-node-120-at-63.5.
  var wanted = /^#model-view-(\d+)(?:-node-(\d+))?(?:-at-([\d.]+))?(-play)?$/.exec(window.location.hash);
  if (wanted && Number(wanted[1]) < notes.views.length) {
    if (wanted[3]) seenAt[notes.views[Number(wanted[1])].group] = Number(wanted[3]);
    show(Number(wanted[1]));
    if (wanted[2]) nodeNamed(Number(wanted[2]));
    if (wanted[4]) play(true);
    holder.scrollIntoView();
  }
  window.addEventListener("resize", draw);
  new ResizeObserver(draw).observe(canvas);
})();
