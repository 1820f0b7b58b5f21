// What the page can do beyond being read: tables sort, two outputs are held against each other, a run is drawn.
(() => {
  const byId = (id) => document.getElementById(id);
  document.documentElement.classList.remove("plain");

  // ---- tables ----

  const numberIn = (text) => {
    const found = text.replace(/[<>]/g, "").match(/-?\d+(\.\d+)?(e-?\d+)?/);
    return found ? Number(found[0]) : null;
  };
  function sortBy(table, column, isNumber) {
    const heads = [...table.tHead.rows[0].cells];
    const isUp = heads[column].getAttribute("aria-sort") !== "ascending";
    heads.forEach((head) => head.removeAttribute("aria-sort"));
    heads[column].setAttribute("aria-sort", isUp ? "ascending" : "descending");
    const keyed = [...table.tBodies[0].rows].map((row) => {
      const text = row.cells[column].textContent.trim();
      return [isNumber ? numberIn(text) : text, row];
    });
    keyed.sort(([one], [other]) => {
      if (one === null || other === null) return (one === null) - (other === null);
      const by = isNumber ? one - other : one.localeCompare(other);
      return isUp ? by : -by;
    });
    table.tBodies[0].append(...keyed.map(([, row]) => row));
  }
  for (const table of document.querySelectorAll("table.sorts")) {
    [...table.tHead.rows[0].cells].forEach((head, column) => {
      if (!head.textContent.trim() || head.classList.contains("wide-only")) return;
      const button = document.createElement("button");
      button.type = "button";
      button.append(...head.childNodes);
      head.append(button);
      button.addEventListener("click", () => sortBy(table, column, head.classList.contains("number")));
    });
  }

  // ---- two outputs of one item ----

  const stage = byId("stage");
  const items = [...document.querySelectorAll(".item")];
  let front = null;
  let zoomed = false;
  let differing = false;
  let centre = [0.5, 0.5];
  let playing = 0;

  const figures = () => [byId("show-one"), byId("show-other")];
  const images = () => [...stage.querySelectorAll(".view img")];
  const chosen = () => [byId("one").value, byId("other").value];

  function put(figure, item, variant, letter) {
    const from = [...item.querySelectorAll("figure")].find((one) => one.dataset.variant === variant);
    figure.replaceChildren(...[...from.children].map((child) => child.cloneNode(true)));
    const label = document.createElement("span");
    label.className = "letter";
    label.textContent = letter;
    figure.querySelector("figcaption").prepend(label);
  }
  function draw() {
    const item = items[Number(byId("item").value)];
    const prompt = item.querySelector(".prompt");
    byId("prompt").textContent = prompt ? prompt.textContent : "";
    pause();
    put(byId("show-one"), item, chosen()[0], "A");
    put(byId("show-other"), item, chosen()[1], "B");
    drawFront();
    drawZoom();
    drawFrames(0);
    drawDifference();
    byId("before").disabled = byId("item").selectedIndex === 0;
    byId("after").disabled = byId("item").selectedIndex === items.length - 1;
    byId("differ").hidden = !stage.querySelector("img, .words");
    byId("zoom").hidden = !stage.querySelector("img");
  }
  function drawFront() {
    stage.classList.toggle("flipping", front !== null);
    figures().forEach((figure, side) => figure.classList.toggle("front", side === front));
    byId("flip").setAttribute("aria-pressed", String(front !== null));
    byId("both").hidden = front === null;
    if (front !== null) byId("said").textContent = `${"AB"[front]}: ${chosen()[front]}`;
  }
  function flip() {
    front = front === 0 ? 1 : 0;
    drawFront();
  }
  function unflip() {
    front = null;
    drawFront();
  }
  function drawZoom() {
    stage.classList.toggle("zoomed", zoomed);
    byId("zoom").setAttribute("aria-pressed", String(zoomed));
    looking.enlarge([...images(), byId("difference")], zoomed, centre);
  }
  function setZoom(isOn) {
    zoomed = isOn;
    drawZoom();
  }
  function moveTo(place) {
    centre = place;
    drawZoom();
  }
  function drawDifference() {
    byId("differ").setAttribute("aria-pressed", String(differing));
    const texts = figures().map((figure) => figure.querySelector(".words")).filter(Boolean);
    if (texts.length === 2) looking.markWords(texts, differing);
    const shown = figures().map((figure) => figure.querySelector("img.now, .view:not(.frames) img"));
    const isDrawn = differing && shown.every(Boolean);
    byId("show-difference").hidden = !isDrawn;
    stage.classList.toggle("with-difference", isDrawn);
    if (!isDrawn) return;
    Promise.all(shown.map((image) => image.decode())).then(() => {
      const most = looking.drawDifference(byId("difference"), ...shown);
      byId("scale").textContent = most === 0
        ? "no difference at all"
        : `difference: black is none, white the largest, ${most} of 255 (${Math.round(most / 2.55)} %)`;
    }).catch(() => { byId("scale").textContent = "the difference can't be drawn"; });
  }
  function setDiffering(isOn) {
    differing = isOn;
    drawDifference();
  }
  function go(by) {
    const to = byId("item").selectedIndex + by;
    if (to < 0 || to >= items.length) return;
    byId("item").selectedIndex = to;
    draw();
  }
  const moving = () => stage.querySelectorAll(".frames");
  function drawFrames(at) {
    const count = looking.frameCount(moving());
    byId("frames").hidden = count < 2;
    byId("scrub").max = Math.max(0, count - 1);
    byId("scrub").value = at;
    byId("frame").textContent = count > 1 ? `${at + 1} of ${count}` : "";
    looking.showFrame(moving(), at);
    if (count > 1 && differing) drawDifference();
  }
  function pause() {
    clearInterval(playing);
    playing = 0;
  }
  function play() {
    const count = looking.frameCount(moving());
    if (playing || count < 2) return pause();
    playing = setInterval(() => drawFrames((Number(byId("scrub").value) + 1) % count), 125);
  }

  if (stage) {
    byId("pair").hidden = false;
    if (byId("one").value === byId("other").value) byId("other").selectedIndex = byId("one").selectedIndex ? 0 : byId("one").length - 1;
    for (const id of ["item", "one", "other"]) byId(id).addEventListener("change", draw);
    const acts = {
      x: flip, v: unflip, z: () => setZoom(!zoomed), d: () => setDiffering(!differing), p: play, j: () => go(1), k: () => go(-1),
    };
    const buttons = { flip: "x", both: "v", zoom: "z", differ: "d", play: "p", after: "j", before: "k" };
    for (const [id, key] of Object.entries(buttons)) byId(id).addEventListener("click", () => acts[key]());
    byId("scrub").addEventListener("input", (event) => { pause(); drawFrames(Number(event.target.value)); });
    document.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.target.matches("input, select, textarea")) return;
      if (Object.hasOwn(acts, event.key)) {
        event.preventDefault();
        acts[event.key]();
      } else if (event.key === "Escape") {
        unflip();
        setZoom(false);
      } else if (zoomed && event.key.startsWith("Arrow")) {
        event.preventDefault();
        moveTo(looking.moved(centre, event.key));
      }
    });
    const point = (event) => {
      const view = event.target.closest && event.target.closest("#stage .view");
      if (view && zoomed) moveTo(looking.placeIn(view, event));
    };
    stage.addEventListener("pointermove", point);
    stage.addEventListener("click", (event) => {
      if (!event.target.closest(".view")) return;
      centre = looking.placeIn(event.target.closest(".view"), event);
      setZoom(!zoomed);
    });
    // A press on an output of the sheet puts it beside the reference.
    for (const figure of document.querySelectorAll(".item figure")) {
      figure.addEventListener("click", (event) => {
        if (event.target.closest("audio")) return;
        byId("item").value = figure.closest(".item").dataset.item;
        byId("other").value = figure.dataset.variant;
        draw();
        byId("pair").scrollIntoView({ block: "start" });
      });
    }
    draw();
  }

  // ---- a run over time ----

  const courses = JSON.parse(byId("courses").textContent);
  const NS = "http://www.w3.org/2000/svg";
  function shape(name, attributes, text) {
    const made = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
    if (text !== undefined) made.textContent = text;
    return made;
  }
  const words_s = (seconds) => (seconds < 1 ? `${(1000 * seconds).toPrecision(3)} ms` : `${seconds.toPrecision(3)} s`);
  const words_bytes = (bytes) => `${(bytes / 2 ** 20).toPrecision(3)} MiB`;
  function drawCourse(run, row) {
    const course = courses[run];
    const form = row.querySelector("use").getAttribute("href").slice(1);
    byId("course-about").textContent = `Run ${run}: ${[...row.cells].slice(1, 7).map((cell) => cell.textContent.trim()).filter(Boolean).join(", ")}`
      + (course ? "" : ". How it went is not in this page.");
    const steps = course ? course.steps_s : [];
    const memory = course ? course.memory : [];
    byId("course-steps").toggleAttribute("hidden", !steps.length);
    byId("course-memory").toggleAttribute("hidden", memory.length < 2);
    if (steps.length) {
      const most = Math.max(...steps);
      const width = 1000 / steps.length;
      byId("course-steps").replaceChildren(
        ...steps.map((step, at) => shape("rect", {
          x: at * width + width * 0.12, width: Math.max(0.3, width * 0.76), y: 130 - 105 * step / most, height: 105 * step / most, class: `fill-${form}`,
        })),
        shape("text", { x: 0, y: 14 }, `${steps.length} steps; the longest ${words_s(most)}, the shortest ${words_s(Math.min(...steps))}`),
        shape("text", { x: 0, y: 147 }, "first"), shape("text", { x: 1000, y: 147, "text-anchor": "end" }, "last"),
      );
    }
    if (memory.length > 1) {
      const most = Math.max(...memory.map(([, held]) => held));
      const last = memory[memory.length - 1][0] || 1;
      const points = memory.map(([at, held]) => `${(1000 * at / last).toFixed(1)},${(105 - 80 * held / most).toFixed(1)}`).join(" ");
      byId("course-memory").replaceChildren(
        shape("polyline", { points, fill: "none", "stroke-width": 2, class: `stroke-${form}` }),
        shape("text", { x: 0, y: 14 }, `memory, at most ${words_bytes(most)}, over ${words_s(last)}`),
      );
    }
  }
  for (const button of document.querySelectorAll(".run")) {
    button.addEventListener("click", () => {
      const row = button.closest("tr");
      drawCourse(row.dataset.run, row);
      byId("course").scrollIntoView({ block: "nearest" });
    });
  }
})();
