// One question at a time. All that is known of the outputs is in the page itself; what is said goes into `state`, which
// the browser keeps under the ballot's own id where it allows that.
(() => {
  const main = document.querySelector("main");
  const asks = main.dataset.asks;
  const key = "ballot-" + main.dataset.ballot;
  const questions = [...document.querySelectorAll(".question")];
  const byId = (id) => document.getElementById(id);
  const state = { name: "", at: -1, answers: {} };
  let shownAt = 0;
  let flipping = null;
  let zoomed = false;
  let centre = [0.5, 0.5];
  let differing = false;
  let thing = 0;
  let playing = 0;

  function load() {
    try {
      const kept = JSON.parse(localStorage.getItem(key) || "null");
      if (kept && typeof kept === "object" && kept.answers && typeof kept.answers === "object") {
        state.name = String(kept.name || "");
        state.at = Math.max(-1, Math.min(questions.length, Number(kept.at) | 0));
        state.answers = kept.answers;
      }
    } catch (error) {
      // Where storage is refused the page goes on without.
    }
  }

  function keep() {
    try {
      localStorage.setItem(key, JSON.stringify(state));
    } catch (error) {
      // As above.
    }
  }

  const idOf = (place) => questions[place].dataset.question;
  const here = () => questions[state.at];
  const isPlaced = () => state.at >= 0 && state.at < questions.length;

  function record() {
    const id = idOf(state.at);
    if (!Object.hasOwn(state.answers, id)) {
      state.answers[id] = { answer: null, why: "", took_s: 0, flips: 0 };
    }
    return state.answers[id];
  }

  function isAnswered(place) {
    const kept = state.answers[idOf(place)];
    if (!kept || kept.answer === null) return false;
    if (asks !== "points") return true;
    return Object.keys(kept.answer).length === questions[place].querySelectorAll("[data-thing]").length;
  }

  const answered = () => questions.filter((_, place) => isAnswered(place)).length;

  // Time counts while the page is looked at.
  function stopClock() {
    if (shownAt && isPlaced()) record().took_s += (performance.now() - shownAt) / 1000;
    shownAt = 0;
  }
  function startClock() {
    shownAt = isPlaced() && document.visibilityState === "visible" ? performance.now() : 0;
  }

  function go(place) {
    stopClock();
    pause();
    if (isPlaced()) here().classList.remove("shown");
    state.at = place;
    unflip();
    setZoom(false);
    setDiffering(false);
    keep();
    draw();
    startClock();
  }

  function draw() {
    const inside = isPlaced();
    byId("welcome").hidden = state.at >= 0;
    byId("where").hidden = state.at < 0;
    byId("panel").hidden = !inside;
    byId("end").hidden = state.at < questions.length;
    byId("done").value = answered();
    const open = questions.length - answered();
    byId("at").textContent = inside ? `${state.at + 1} of ${questions.length}` : "";
    byId("left").textContent = `${open} left`;
    if (!inside) {
      if (state.at >= questions.length) drawEnd(open);
      return;
    }
    here().classList.add("shown");
    window.scrollTo(0, 0);
    byId("back").disabled = state.at === 0;
    const kept = record();
    byId("why").value = kept.why;
    byId("reason").hidden = kept.why === "";
    if (asks === "pairs") {
      for (const button of byId("choices").children) {
        button.setAttribute("aria-pressed", String(button.dataset.answer === kept.answer));
      }
      byId("differ").hidden = !here().querySelector(".words");
    } else if (asks === "marks") {
      byId("mark").value = kept.answer === null ? "" : kept.answer;
      byId("slider").value = kept.answer === null ? 50 : kept.answer;
    } else {
      thing = Math.max(0, things().findIndex((one) => !said(one)));
      drawThings();
    }
    for (const side of ["left", "right"]) {
      if (byId("hear-" + side)) byId("hear-" + side).hidden = !here().querySelector(`[data-side="${side}"] audio`);
    }
    if (byId("flip")) byId("flip").hidden = !here().querySelector(".view, .words");
    byId("zoom").hidden = !here().querySelector(".view");
    drawFrames(0);
    byId("said").textContent = `${state.at + 1} of ${questions.length}: ${here().querySelector(".prompt").textContent}`;
  }

  // ---- answers ----

  function say(answer) {
    record().answer = answer;
    keep();
    next();
  }

  function next() {
    const after = state.at + 1;
    go(after);
  }

  const things = () => [...here().querySelectorAll("[data-thing]")];
  const said = (one) => (record().answer || {})[one.dataset.thing];

  function drawThings() {
    things().forEach((one, place) => {
      one.classList.toggle("current", place === thing);
      for (const button of one.querySelectorAll("button")) {
        button.setAttribute("aria-pressed", String(button.dataset.answer === said(one)));
      }
    });
  }

  function sayThing(place, answer) {
    const one = things()[place];
    if (!one) return;
    record().answer = Object.assign({}, record().answer, { [one.dataset.thing]: answer });
    keep();
    thing = Math.min(place + 1, things().length - 1);
    byId("done").value = answered();
    if (things().every(said) && place === things().length - 1) next();
    else drawThings();
  }

  function setMark(text, isWhole) {
    const mark = Number(text);
    if (text === "" || !Number.isInteger(mark) || mark < 0 || mark > 100) {
      record().answer = null;
    } else {
      record().answer = mark;
      if (isWhole) byId("slider").value = mark;
      else byId("mark").value = mark;
    }
    keep();
  }

  // ---- ways to look ----

  function flip() {
    if (asks !== "pairs" || !isPlaced()) return;
    flipping = flipping === "left" ? "right" : "left";
    record().flips += 1;
    drawFlip();
  }
  function unflip() {
    flipping = null;
    if (isPlaced()) drawFlip();
  }
  function drawFlip() {
    const outputs = here().querySelector(".outputs");
    outputs.classList.toggle("flipping", flipping !== null);
    for (const output of outputs.children) output.classList.toggle("front", output.dataset.side === flipping);
    if (!byId("flip")) return;
    byId("flip").setAttribute("aria-pressed", String(flipping !== null));
    byId("both").hidden = flipping === null;
    if (flipping !== null) byId("said").textContent = flipping;
  }

  function setZoom(isOn) {
    zoomed = isOn;
    if (!isPlaced()) return;
    here().querySelector(".outputs").classList.toggle("zoomed", zoomed);
    byId("zoom").setAttribute("aria-pressed", String(zoomed));
    moveTo(centre);
  }

  function moveTo(place) {
    centre = place;
    looking.enlarge(here().querySelectorAll(".view img"), zoomed, centre);
  }
  function point(event) {
    const view = event.target.closest && event.target.closest(".view");
    if (view && zoomed) moveTo(looking.placeIn(view, event));
  }

  const frameCount = () => looking.frameCount(here().querySelectorAll(".view"));
  function drawFrames(at) {
    const count = frameCount();
    byId("frames").hidden = count < 2;
    byId("scrub").max = Math.max(0, count - 1);
    byId("scrub").value = at;
    byId("frame").textContent = count > 1 ? `${at + 1} of ${count}` : "";
    looking.showFrame(here().querySelectorAll(".view"), at);
  }
  function pause() {
    clearInterval(playing);
    playing = 0;
  }
  function play() {
    if (playing || frameCount() < 2) return pause();
    playing = setInterval(() => drawFrames((Number(byId("scrub").value) + 1) % frameCount()), 125);
  }
  function hear(side) {
    const player = here().querySelector(`[data-side="${side}"] audio`);
    if (!player) return;
    for (const other of here().querySelectorAll("audio")) if (other !== player) other.pause();
    if (player.paused) player.play();
    else player.pause();
  }

  function setDiffering(isOn) {
    differing = isOn;
    if (!isPlaced() || asks !== "pairs") return;
    const texts = [...here().querySelectorAll(".words")];
    byId("differ").setAttribute("aria-pressed", String(differing));
    if (texts.length === 2) looking.markWords(texts, differing);
  }
  // ---- the end ----

  function result() {
    return {
      unvek: 1, kind: "answers", ballot: main.dataset.ballot, judge: state.name.trim(),
      answers: questions.flatMap((question) => {
        const kept = state.answers[question.dataset.question];
        if (!kept || kept.answer === null) return [];
        return [{
          question: question.dataset.question, answer: kept.answer, why: kept.why,
          took_s: Math.round(Math.min(kept.took_s, 86400) * 10) / 10, flips: kept.flips,
        }];
      }),
    };
  }

  function drawEnd(open) {
    byId("end-words").textContent = open ? "That was the last one, but some are open" : "That was the last one";
    byId("end-left").textContent = open
      ? `${open} of ${questions.length} have no answer yet. What you have said counts as far as it goes.`
      : "Save the answers and send the file back to whoever sent you this page. Thank you.";
    byId("again").hidden = false;
    byId("end-name").value = state.name;
    drawText();
  }
  function drawText() {
    byId("text").value = JSON.stringify(result());
  }
  function save() {
    if (!state.name.trim()) {
      byId("saved").textContent = "Your name, please: verdicts are kept by who gave them.";
      byId("end-name").focus();
      return;
    }
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([JSON.stringify(result())], { type: "application/json" }));
    const name = state.name.trim().toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-+|-+$/g, "") || "judge";
    link.download = `answers-${name}.json`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 60000);
    byId("saved").textContent = `Saved as ${link.download}, where your browser saves files.`;
  }
  function setName(text) {
    state.name = text;
    byId("name").value = byId("end-name").value = text;
    keep();
    if (state.at >= questions.length) drawText();
  }

  function toggleReason() {
    byId("reason").hidden = false;
    byId("why").focus();
  }

  // ---- keys and presses ----

  const PAIR_KEYS = { 1: "left", 2: "right", 3: "even", 0: "neither" };
  const POINT_KEYS = { 1: "there", 2: "partly", 3: "missing", 0: "unsure" };

  function onKey(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const isWriting = event.target.matches("textarea, input:not([type=range])");
    if (event.key === "Escape") {
      event.target.blur();
      unflip();
      setZoom(false);
      return;
    }
    if (event.target === byId("why") && event.key === "Enter" && !event.shiftKey) {
      event.preventDefault();
      event.target.blur();
      return;
    }
    if (!isPlaced()) {
      if (event.key === "Enter" && event.target === byId("name")) go(firstOpen());
      return;
    }
    const isMark = event.target === byId("mark");
    if (isWriting && !(isMark && (event.key === "Enter" || /^[a-z]$/.test(event.key)))) return;
    const act = {
      x: flip, v: unflip, z: () => setZoom(!zoomed), b: () => state.at > 0 && go(state.at - 1), r: toggleReason,
      d: () => setDiffering(!differing), p: play, s: () => hear("left"), f: () => hear("right"),
    }[event.key];
    if (act) {
      event.preventDefault();
      act();
    } else if (asks === "pairs" && Object.hasOwn(PAIR_KEYS, event.key)) {
      say(PAIR_KEYS[event.key]);
    } else if (asks === "points" && Object.hasOwn(POINT_KEYS, event.key)) {
      sayThing(thing, POINT_KEYS[event.key]);
    } else if (asks !== "pairs" && event.key === "Enter" && !event.target.matches("button")) {
      event.preventDefault();
      next();
    } else if (zoomed && event.key.startsWith("Arrow") && !event.target.matches("[type=range]")) {
      event.preventDefault();
      moveTo(looking.moved(centre, event.key));
    }
  }

  const firstOpen = () => {
    const open = questions.findIndex((_, place) => !isAnswered(place));
    return open < 0 ? questions.length : open;
  };
  const on = (id, kind, act) => byId(id) && byId(id).addEventListener(kind, act);

  document.documentElement.classList.remove("plain");
  load();
  document.addEventListener("keydown", onKey);
  document.addEventListener("pointermove", point);
  document.addEventListener("pointerdown", point);
  document.addEventListener("visibilitychange", () => (document.visibilityState === "visible" ? startClock() : (stopClock(), keep())));
  window.addEventListener("pagehide", () => { stopClock(); keep(); });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("button[data-answer]");
    const view = event.target.closest(".view");
    if (button && button.closest("#choices")) say(button.dataset.answer);
    else if (button) sayThing(things().indexOf(button.closest("[data-thing]")), button.dataset.answer);
    else if (view && isPlaced()) { if (!zoomed) { setZoom(true); point(event); } else setZoom(false); }
    if (button || event.target.closest(".tools")) document.activeElement.blur();
  });
  on("begin", "click", () => go(firstOpen()));
  on("name", "input", (event) => setName(event.target.value));
  on("end-name", "input", (event) => setName(event.target.value));
  on("flip", "click", flip);
  on("both", "click", unflip);
  on("hear-left", "click", () => hear("left"));
  on("hear-right", "click", () => hear("right"));
  on("zoom", "click", () => setZoom(!zoomed));
  on("differ", "click", () => setDiffering(!differing));
  on("say", "click", () => setTimeout(toggleReason));
  on("back", "click", () => state.at > 0 && go(state.at - 1));
  on("next", "click", next);
  on("play", "click", play);
  on("scrub", "input", (event) => { pause(); drawFrames(Number(event.target.value)); });
  on("why", "input", (event) => { record().why = event.target.value; keep(); });
  on("mark", "input", (event) => setMark(event.target.value, true));
  on("slider", "input", (event) => setMark(event.target.value, false));
  on("save", "click", save);
  on("again", "click", () => go(Math.min(firstOpen(), questions.length - 1)));
  byId("name").value = state.name;
  if (state.at >= questions.length) state.at = firstOpen();
  draw();
  startClock();
})();
