// The page of a guest: what the show tells, drawn; what hands do, asked. What is not allowed is hidden here and refused there.
import { Hands, held } from "/hands.js";
import { Pictures, Streams } from "/picture.js";

const $ = (id) => document.getElementById(id);
const LETTERS = "QWERTASDFG";
const AGAIN_MS = [300, 600, 1200, 2500];
const seconds = (s) => (s === null || s === undefined ? "" : s < 0.25 ? "set" : `${s.toFixed(1)} s`);

let socket = null, state = null, selected = 0, tries = 0, offset = 0, shake = Infinity, age = 0, out = false, delays = [];

function say(words, wrong = false) {
  $("line").textContent = words;
  $("line").classList.toggle("wrong", wrong);
}

function send(message) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message));
}

function ask(action, given) {
  send({ do: action, with: given });
}

// Coming in

function gate(words) {
  $("stage").hidden = true;
  $("gate").hidden = false;
  $("gate-code-row").hidden = location.hash.length > 1;
  if (words) $("gate-said").textContent = words;
  $("gate-name").focus();
}

async function enter(event) {
  event.preventDefault();
  const code = location.hash.slice(1) || $("gate-code").value.trim();
  try {
    const answer = await fetch("/enter", {
      method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ code, name: $("gate-name").value }),
    });
    const said = await answer.json();
    if (!said.done) return gate(said.said);
    history.replaceState(null, "", "/"); // the code is not kept in this browser's history
    out = false;
    connect();
  } catch {
    gate("The show does not answer. Is this device on the same network?");
  }
}

function connect() {
  socket = new WebSocket(`wss://${location.host}/live`);
  socket.binaryType = "arraybuffer";
  let opened = false;
  socket.onopen = () => {
    [opened, tries, shake, state] = [true, 0, Infinity, null];
    for (let k = 0; k < 4; k++) setTimeout(ping, k * 150);
  };
  socket.onmessage = (message) => (typeof message.data === "string" ? hear(JSON.parse(message.data)) : pictures.came(message.data));
  socket.onclose = () => {
    streams.close();
    talks = false;
    hands.pushTo(0, 0, 0);
    document.body.classList.add("away");
    if (out) return;
    if (!opened && $("stage").hidden) return gate();
    say("The line to the show is gone. It is tried again.", true);
    setTimeout(connect, AGAIN_MS[Math.min(tries++, AGAIN_MS.length - 1)]);
  };
}

function ping() {
  send({ ping: performance.now() });
}

function hear(said) {
  if (said.state) {
    if (!state) streams.open(said.state.me);
    state = said.state;
    draw();
  }
  if (said.pong) {
    const now = performance.now(), way = now - said.pong[0];
    age = said.pong[2] ?? 0;
    if (way < shake) [shake, offset] = [way, said.pong[1] * 1000 - (said.pong[0] + way / 2)];
  }
  if (said.rtc) streams.answered(said.rtc);
  if (said.refused) say(said.refused, true);
  else if (said.done && !said.done.startsWith("steer.") && said.done !== "guest.talk") say("Done.");
  if (said.out) { out = true; state = null; gate(said.out); }
}

// Pictures

let drawn = new Map();
const pictures = new Pictures((one, seen) => {
  if (!drawn.size) requestAnimationFrame(() => { send({ drawn: [...drawn] }); drawn = new Map(); });
  drawn.set(one.where, one.number);
  if (seen && one.captured) {
    delays.push(performance.now() + offset - one.captured * 1000);
    if (delays.length > 60) delays.shift();
  }
});

const streams = new Streams(send, (where, video) => {
  for (const canvas of pictures.targets.get(where) ?? []) {
    if (!video.videoWidth) continue;
    if (canvas.width !== video.videoWidth) [canvas.width, canvas.height] = [video.videoWidth, video.videoHeight];
    canvas.getContext("2d").drawImage(video, 0, 0);
    canvas.dataset.number = Number(canvas.dataset.number ?? 0) + 1;
    canvas.dataset.by = "rtc";
  }
});

function watch() {
  const targets = new Map();
  for (const canvas of document.querySelectorAll("#cameras canvas")) targets.set(`${canvas.dataset.what}@small`, [canvas]);
  const big = selected ? state.cameras.find((c) => c.number === selected)?.id : "program";
  if (big) targets.set(`${big}@large`, [$("picture")]);
  pictures.show(targets);
  const wanted = [...targets.keys()].map((key) => key.split("@"));
  if (JSON.stringify(wanted) !== watch.last || watch.socket !== socket) {
    [watch.last, watch.socket] = [JSON.stringify(wanted), socket];
    send({ watch: wanted });
    streams.places = [...targets.keys()];
  }
}

// Drawing

function draw() {
  $("gate").hidden = true;
  $("stage").hidden = false;
  document.body.classList.remove("away");
  document.body.classList.toggle("practice", state.practice);
  $("show").textContent = state.show;
  $("who").textContent = `${state.me.name}, ${state.me.role}`;
  tally($("air"), state.onAir, state.onAirFor === null ? "" : `${state.onAirFor} s`);
  tally($("next"), state.next, state.held ? "waits for its camera" : state.next?.is === "travelling" ? seconds(state.next.left) : "");
  $("then").textContent = state.then.length ? `Then: ${state.then.map((one) => one.words).join(" · ")}` : "";
  if (selected && !state.cameras.some((c) => c.number === selected)) selected = 0;
  if (draw.first === undefined) {
    draw.first = true;
    selected = (state.cameras.find((c) => c.moves) ?? { number: 0 }).number;
  }
  drawCameras();
  drawBig();
  drawFramings();
  drawAsked();
  drawPads();
  drawCrew();
  $("directs").hidden = !state.me.directs;
  $("hint").textContent = !state.me.steers ? "You watch. Choose a picture to see it large."
    : matchMedia("(pointer: coarse)").matches ? "Tap to centre, drag to pull, two fingers to zoom."
    : "Click to centre, drag to pull, Shift and drag draws a box to fill the frame with, the wheel zooms.";
  watch();
}

function tally(element, shot, more) {
  element.classList.toggle("lit", !!shot);
  element.querySelector("span").textContent = shot ? [shot.words, more].filter(Boolean).join(", ") : "nothing";
}

function chosen() {
  return state?.cameras.find((c) => c.number === selected);
}

function keyed(parent, items, key, make, fill) {
  const there = new Map([...parent.children].map((child) => [child.dataset.key, child]));
  const wanted = items.map((item) => {
    const child = there.get(key(item)) ?? make(item);
    child.dataset.key = key(item);
    fill(child, item);
    return child;
  });
  if (wanted.length !== parent.children.length || wanted.some((child, k) => parent.children[k] !== child)) parent.replaceChildren(...wanted);
}

function made(tag, className, html) {
  const element = document.createElement(tag);
  element.className = className;
  element.innerHTML = html; // only ever text of this page
  return element;
}

function drawCameras() {
  const items = [{ id: "program", number: 0, name: "Program", program: true }, ...state.cameras];
  keyed($("cameras"), items, (one) => one.id,
    (one) => {
      const tile = made("button", "camera", '<canvas width="320" height="180"></canvas><div class="words"><b></b><span></span><i class="tag"></i></div>');
      tile.type = "button";
      tile.querySelector("canvas").dataset.what = one.id;
      tile.addEventListener("click", () => { selected = one.number; draw(); });
      return tile;
    },
    (tile, one) => {
      tile.classList.toggle("selected", one.number === selected);
      tile.classList.toggle("onair", !!one.onAir || !!one.program);
      tile.classList.toggle("isnext", !one.onAir && !!one.next);
      tile.classList.toggle("gone", one.contact === false || one.picture === false);
      tile.querySelector("b").textContent = one.program ? "" : one.number;
      tile.querySelector("span").textContent = one.name;
      tile.querySelector(".tag").textContent = one.program ? "ON AIR" : one.contact === false ? "NO CONTACT" : one.onAir ? "ON AIR"
        : one.next ? "NEXT" : one.holder ? one.holder.initial : "";
      tile.setAttribute("aria-pressed", one.number === selected);
    });
}

function drawBig() {
  const one = chosen(), big = $("big");
  big.classList.toggle("onair", !one || one.onAir);
  big.classList.toggle("isnext", !!one && !one.onAir && one.next);
  big.classList.toggle("gone", !!one && (!one.contact || !one.picture));
  $("big-number").textContent = one ? one.number : "";
  $("big-name").textContent = one ? one.name : "Program";
  const held = one?.holder ? (one.holder.mine ? `yours for ${one.holder.left} s` : `held by ${one.holder.name}, ${one.holder.left} s`) : "";
  $("big-state").textContent = !one ? "" : [
    !one.contact ? "NO CONTACT" : one.onAir ? "ON AIR" : one.next ? "NEXT" : "",
    one.is === "travelling" ? ["travelling", one.left >= 0.25 ? seconds(one.left) : ""].filter(Boolean).join(", ") : one.at && one.is === "set" ? `set at ${one.at}` : "", held,
  ].filter(Boolean).join(" · ");
  const lamps = $("lamps");
  if (lamps.children.length !== 12) lamps.replaceChildren(...Array.from({ length: 12 }, () => document.createElement("i")));
  const kind = !one || one.onAir ? "red" : one.next ? (one.is === "set" ? "green" : "wait") : one.is === "set" && one.at ? "warm" : "";
  for (const lamp of lamps.children) lamp.className = kind;
  $("hands").hidden = !one?.moves && !state.me.directs;
  for (const id of ["stick", "in", "out", "keep", "draw-box"]) $(id).hidden = !one?.moves;
  $("live").hidden = !one?.moves || !one.onAir;
  $("keep").textContent = one?.holder?.mine && one.holder.kept ? "Let this camera go" : "Keep this camera";
}

function drawFramings() {
  const one = chosen();
  const pages = one?.steered ? [...new Set([0, ...one.framings.map((f) => f.page)])] : [];
  const items = pages.flatMap((page) => [...LETTERS].map((letter) => one.framings.find((f) => f.letter === letter && f.page === page) ?? { letter, page, free: true }));
  const shown = one?.moves ? items.filter((f) => !f.free || f.page === 0) : items.filter((f) => !f.free);
  keyed($("framings"), shown, (f) => `${one.id} ${f.page} ${f.letter} ${f.free ? "" : f.picture}`,
    (f) => {
      const tile = made("button", "framing", `${f.free ? '<div class="none">free</div>' : f.picture ? "<img alt>" : '<div class="none">no picture</div>'}<div class="words"><b></b><span></span><em></em></div>`);
      tile.type = "button";
      if (f.picture) tile.querySelector("img").src = `/framing/${encodeURIComponent(f.picture)}`;
      tile.addEventListener("click", () => press(tile.framing));
      tile.addEventListener("contextmenu", (e) => { e.preventDefault(); openSheet(tile.framing); });
      held(tile, () => { tile.skip = true; openSheet(tile.framing); });
      return tile;
    },
    (tile, f) => {
      tile.framing = f;
      tile.classList.toggle("free", !!f.free);
      tile.classList.toggle("at", !f.free && one.letter === f.letter && one.page === f.page && one.is === "set");
      tile.disabled = !one.moves;
      tile.querySelector("b").textContent = f.letter;
      tile.querySelector("span").textContent = f.free ? "store here" : f.name;
      tile.querySelector("em").textContent = f.free ? "" : seconds(f.seconds);
    });
}

function press(framing) {
  const one = chosen();
  if (!one || !framing || $("sheet").open) return;
  const where = { camera: one.number, letter: framing.letter, page: framing.page };
  if (framing.free) ask("framing.store", where);
  else if (state.me.directs && !one.onAir) ask("ready.framing", where);
  else ask("framing.restore", where);
}

function openSheet(framing) {
  if (!framing || framing.free || !chosen()?.moves || $("sheet").open) return;
  $("sheet").framing = framing;
  $("sheet-title").textContent = `Camera ${selected}, ${framing.letter}: ${framing.name}`;
  $("sheet-name").value = framing.name;
  $("sheet-store").disabled = framing.locked;
  $("sheet").showModal();
}

function drawAsked() {
  keyed($("asked"), state.asked, (one) => one.id,
    () => {
      const row = made("div", "ask", "<b></b><button type=button></button>");
      row.querySelector("button").addEventListener("click", () => offer(row.one));
      return row;
    },
    (row, one) => {
      row.one = one;
      const button = row.querySelector("button"), camera = one.camera || selected;
      row.querySelector("b").textContent = `${one.camera ? `Camera ${one.camera}: ` : ""}${one.words}`;
      button.textContent = one.offered ? "Offered" : camera ? `Camera ${camera} is ready` : "Choose a camera";
      button.disabled = one.offered || !camera || !state.me.steers;
    });
}

function drawCrew() {
  $("crew").hidden = !state.me.hears && !state.me.talks;
  $("talk").hidden = !state.me.talks;
  $("sound").setAttribute("aria-pressed", streams.heard);
  $("sound").textContent = `Sound is ${streams.heard ? "on" : "off"}`;
  $("talkers").textContent = state.me.talking ? "You talk to the crew" : state.talk.length ? `${state.talk.join(", ")} talk${state.talk.length > 1 ? "" : "s"}` : "";
}

function drawPads() {
  const choice = $("pads-page"), page = state.pads.find((one) => one.id === choice.value) ?? state.pads[0];
  $("pads").hidden = !page;
  if (!page) { document.body.classList.remove("only-pads"); return; }
  keyed(choice, state.pads, (one) => one.id, () => document.createElement("option"), (option, one) => {
    option.value = one.id;
    option.textContent = one.name;
  });
  choice.value = page.id;
  $("pads-grid").style.gridTemplateColumns = `repeat(${page.columns}, minmax(0, 1fr))`;
  const places = Array.from({ length: page.columns * page.rows }, (_, at) => page.pads.find((pad) => pad.at === at) ?? { at, free: true });
  const last = Math.max(-1, ...page.pads.map((pad) => pad.at));
  keyed($("pads-grid"), places.slice(0, page.columns * Math.ceil((last + 1) / page.columns)), (pad) => `${page.id} ${pad.at}`,
    () => {
      const pad = made("button", "pad", "<b></b><em></em>");
      pad.type = "button";
      const press = (long) => ask("pad.press", { pads: pad.page, at: pad.one.at, long });
      held(pad, () => { if (pad.one.long) { pad.skip = true; press(true); } });
      pad.addEventListener("click", () => { if (!pad.skip) press(false); pad.skip = false; });
      return pad;
    },
    (element, pad) => {
      [element.one, element.page] = [pad, page.id];
      element.className = `pad ${pad.free ? "empty" : pad.light.replace(" ", "-")}`;
      if (pad.free) return;
      element.style.setProperty("--pad", pad.colour);
      element.querySelector("b").textContent = pad.label;
      element.querySelector("em").textContent = [pad.words, pad.left !== null && pad.left > 0 ? seconds(pad.left) : ""].filter(Boolean).join(" ");
    });
}

function offer(one) {
  const camera = one.camera || selected;
  if (camera) ask("shot.offer", { asked: one.id, camera });
}

// Hands

const hands = new Hands(ask, (push) => send({ push: shake < Infinity ? { ...push, at: (performance.now() + offset) / 1000 } : push }), () => (chosen()?.moves ? selected : 0));
hands.onPicture($("big"), $("box"));
hands.onStick($("stick"));
hands.onZoom($("in"), 1);
hands.onZoom($("out"), -1);
hands.watchGamepads();
for (const [name, on] of [["pointerdown", true], ["pointerup", false], ["pointercancel", false], ["pointerleave", false]])
  $("live").addEventListener(name, () => { hands.live = on; $("live").classList.toggle("held", on); });
$("keep").addEventListener("click", () => ask("camera.hold", { camera: selected, on: !(chosen()?.holder?.mine && chosen().holder.kept) }));
$("draw-box").addEventListener("click", () => {
  const on = $("big").dataset.box !== "on";
  $("big").dataset.box = on ? "on" : "";
  $("draw-box").setAttribute("aria-pressed", on);
});
$("pads-page").addEventListener("change", () => draw());
// Once only the pads are there, it takes a held press to have the rest again: a slip does not.
const onlyPads = (on) => { document.body.classList.toggle("only-pads", on); $("pads-only").setAttribute("aria-pressed", on); $("pads-only").textContent = on ? "Hold for the rest" : "Only the pads"; };
let letGo = false; // of the held press that has just brought the rest back
$("pads-only").addEventListener("click", () => { if (!letGo && !document.body.classList.contains("only-pads")) onlyPads(true); letGo = false; });
held($("pads-only"), () => { if (document.body.classList.contains("only-pads")) { letGo = true; onlyPads(false); } });
$("sound").addEventListener("click", () => { streams.hear(!streams.heard); drawCrew(); });
let talks = false;
const talk = async (on) => {
  if (on === talks || !state?.me.talks) return;
  talks = on;
  $("talk").classList.toggle("held", on);
  if (on) streams.hear(true); // whoever talks wants to hear the answer
  ask("guest.talk", { on });
  const wrong = await streams.talk(on);
  if (wrong) { talk(false); say(wrong, true); }
};
for (const [name, on] of [["pointerdown", true], ["pointerup", false], ["pointercancel", false], ["pointerleave", false], ["blur", false]])
  $("talk").addEventListener(name, () => talk(on));
$("talk").addEventListener("keydown", (e) => { if (["Space", "Enter"].includes(e.code) && !e.repeat) talk(true); });
$("talk").addEventListener("keyup", (e) => { if (["Space", "Enter"].includes(e.code)) talk(false); });
$("take").addEventListener("click", () => ask("take", {}));
$("cover").addEventListener("click", () => ask("cover", {}));
$("sheet-rename").addEventListener("click", () => {
  const { letter, page } = $("sheet").framing;
  ask("framing.rename", { camera: selected, letter, page, name: $("sheet-name").value });
  $("sheet").close();
});
held($("sheet-store"), () => {
  const { letter, page } = $("sheet").framing;
  ask("framing.store", { camera: selected, letter, page, overwrite: true });
  $("sheet").close();
});
$("gate-form").addEventListener("submit", enter);
$("leave").addEventListener("click", async () => {
  out = true;
  socket?.close();
  await fetch("/leave", { method: "POST" }).catch(() => {});
  gate("You have left. The link of your invitation brings you back, if it may be used again.");
});

const PUSHES = { ArrowLeft: [-0.6, 0, 0], ArrowRight: [0.6, 0, 0], ArrowUp: [0, -0.6, 0], ArrowDown: [0, 0.6, 0], NumpadAdd: [0, 0, 1], NumpadSubtract: [0, 0, -1], Equal: [0, 0, 1], Minus: [0, 0, -1] };
let pushed = "";
document.addEventListener("keydown", (e) => {
  hands.live ||= e.key === "Control";
  if (!state || e.repeat || e.altKey || e.metaKey || e.target.closest("input, dialog") || $("stage").hidden) return;
  const letter = e.code.startsWith("Key") ? e.code.slice(3) : "", number = Number(/^Digit([1-9])$/.exec(e.code)?.[1] ?? 0);
  if (number && state.cameras.some((c) => c.number === number)) { selected = number; draw(); }
  else if (LETTERS.includes(letter) && letter && chosen()?.moves && !e.ctrlKey) {
    const there = chosen().framings.find((f) => f.letter === letter && f.page === 0);
    if (e.shiftKey && !there) ask("framing.store", { camera: selected, letter, page: 0 });
    else if (there && !e.shiftKey) press(there);
  } else if (PUSHES[e.code] && chosen()?.moves) { pushed = e.code; hands.pushTo(...PUSHES[e.code]); }
  else if (e.code === "Space" && state.me.directs && e.target === document.body) ask("take", {});
  else return;
  e.preventDefault();
});
document.addEventListener("keyup", (e) => {
  if (e.key === "Control") hands.live = false;
  if (e.code === pushed) { pushed = ""; hands.pushTo(0, 0, 0); }
});
window.addEventListener("blur", () => { talk(false); hands.live = false; hands.pushTo(0, 0, 0); });

setInterval(async () => {
  ping();
  const streamed = await streams.delay();
  if (streamed !== null) delays = [streamed + age];
  if (!delays.length || !state) return;
  const sorted = [...delays].sort((a, b) => a - b), middle = Math.max(0, Math.round(sorted[sorted.length >> 1]));
  $("delay").textContent = `${middle} ms`;
  send({ delay: middle });
}, 1000);

connect();
if (location.hash.length > 1) gate();
