// Hands on the picture and the stick: what they do is said as actions; a push is said again while it lasts.
const BEAT_MS = 60, CLICK_PX = 6, HOLD_MS = 550;

// Calls `done` once a button has been held, and shows it meanwhile; letting go early does nothing.
export function held(button, done) {
  let timer = 0;
  const over = () => { clearTimeout(timer); timer = 0; button.classList.remove("held"); };
  const begin = () => { button.classList.add("held"); timer = setTimeout(() => { over(); done(); }, HOLD_MS); };
  button.addEventListener("pointerdown", begin);
  for (const name of ["pointerup", "pointerleave", "pointercancel", "blur"]) button.addEventListener(name, over);
  button.addEventListener("keydown", (e) => { if ((e.key === "Enter" || e.key === " ") && !e.repeat) { e.preventDefault(); begin(); } });
  button.addEventListener("keyup", over);
}

export class Hands {
  // `ask(action, arguments)`, `push(arguments)`, `camera()` gives the number of a camera that may be moved, or 0.
  constructor(ask, push, camera) {
    Object.assign(this, { ask, push, camera });
    this.stroke = Math.floor(Math.random() * 1e9) + 1;
    this.live = false;
    this.pushing = { right: 0, down: 0, steps: 0 };
    this.timer = 0;
    this.points = new Map();
    this.pinched = 0;
  }

  give(action, more) {
    const camera = this.camera();
    if (camera) this.ask(action, { camera, live: this.live, stroke: this.stroke, hand: "page", ...more });
  }

  // A stick at x, y from -1 to 1, and how fast to zoom; zeros let go.
  pushTo(right, down, steps) {
    const still = !right && !down && !steps;
    this.pushing = { right, down, steps };
    if (still && this.timer) {
      clearInterval(this.timer);
      this.timer = 0;
      const camera = this.camera();
      if (camera) this.ask("steer.stop", { camera });
    } else if (!still && !this.timer) {
      this.stroke += 1;
      this.beat();
      this.timer = setInterval(() => this.beat(), BEAT_MS);
    }
  }

  beat() {
    const camera = this.camera();
    if (!camera) return;
    const share = (value) => Math.sign(value) * value * value * 0.09;
    const { right, down, steps } = this.pushing;
    this.push({ camera, right: share(right), down: share(down), steps: steps * 0.5, live: this.live, stroke: this.stroke, hand: "page" });
  }

  onStick(element) {
    const knob = element.querySelector("i");
    const to = (event) => {
      const area = element.getBoundingClientRect();
      let x = (event.clientX - area.left - area.width / 2) / (area.width / 2);
      let y = (event.clientY - area.top - area.height / 2) / (area.height / 2);
      const far = Math.max(1, Math.hypot(x, y));
      [x, y] = [x / far, y / far];
      knob.style.transform = `translate(${x * 34}px, ${y * 34}px)`;
      this.pushTo(Math.abs(x) < 0.12 ? 0 : x, Math.abs(y) < 0.12 ? 0 : y, 0);
    };
    element.addEventListener("pointerdown", (e) => { element.setPointerCapture(e.pointerId); element.classList.add("pushed"); to(e); });
    element.addEventListener("pointermove", (e) => { if (element.classList.contains("pushed")) to(e); });
    const off = () => { element.classList.remove("pushed"); knob.style.transform = ""; this.pushTo(0, 0, 0); };
    for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) element.addEventListener(name, off);
  }

  onZoom(button, steps) {
    button.addEventListener("pointerdown", (e) => { button.setPointerCapture(e.pointerId); this.pushTo(0, 0, steps); });
    for (const name of ["pointerup", "pointercancel", "lostpointercapture"]) button.addEventListener(name, () => this.pushTo(0, 0, 0));
    button.addEventListener("click", (e) => { if (e.detail === 0) this.give("steer.zoom", { steps: Math.sign(steps) }); });
  }

  // Click centres, drag pulls, Shift and drag (or a second finger held) draws a box, wheel and pinch zoom.
  onPicture(element, box) {
    const at = (e) => {
      const area = element.querySelector("canvas").getBoundingClientRect();
      return [(e.clientX - area.left) / area.width, (e.clientY - area.top) / area.height].map((x) => Math.min(1, Math.max(0, x)));
    };
    let start = null, last = null, moved = false, boxed = false;
    element.addEventListener("pointerdown", (e) => {
      if (e.button) return;
      element.setPointerCapture(e.pointerId);
      this.points.set(e.pointerId, at(e));
      if (this.points.size === 1) {
        [start, last, moved, boxed] = [at(e), at(e), false, e.shiftKey || element.dataset.box === "on"];
        this.stroke += 1;
      } else { [start, moved] = [null, true]; this.pinched = this.spread(); }
    });
    element.addEventListener("pointermove", (e) => {
      if (!this.points.has(e.pointerId)) return;
      this.points.set(e.pointerId, at(e));
      if (this.points.size === 2) {
        const spread = this.spread(), steps = Math.log(spread / this.pinched) / Math.log(1.1);
        if (Math.abs(steps) >= 0.5) { this.pinched = spread; this.give("steer.zoom", { steps: Math.max(-20, Math.min(20, steps)) }); }
        return;
      }
      if (!start) return;
      const now = at(e), area = element.getBoundingClientRect();
      moved ||= Math.hypot((now[0] - start[0]) * area.width, (now[1] - start[1]) * area.height) > CLICK_PX;
      if (!moved) return;
      if (boxed) {
        box.hidden = false;
        const [left, top] = [Math.min(start[0], now[0]), Math.min(start[1], now[1])];
        Object.assign(box.style, { left: `${left * 100}%`, top: `${top * 100}%`, width: `${Math.abs(now[0] - start[0]) * 100}%`, height: `${Math.abs(now[1] - start[1]) * 100}%` });
      } else if (Math.hypot(now[0] - last[0], now[1] - last[1]) > 0.008) {
        this.give("steer.drag", { right: now[0] - last[0], down: now[1] - last[1] });
        last = now;
      }
    });
    const up = (e) => {
      if (!this.points.delete(e.pointerId) || !start || e.type === "pointercancel") { box.hidden = true; return; }
      const now = at(e);
      if (!moved) this.give("steer.centre", { x: now[0], y: now[1] });
      else if (boxed) this.give("steer.box", { left: Math.min(start[0], now[0]), top: Math.min(start[1], now[1]), right: Math.max(start[0], now[0]), bottom: Math.max(start[1], now[1]) });
      [start, box.hidden] = [null, true];
    };
    element.addEventListener("pointerup", up);
    element.addEventListener("pointercancel", up);
    element.addEventListener("wheel", (e) => { e.preventDefault(); this.give("steer.zoom", { steps: -Math.sign(e.deltaY) }); }, { passive: false });
  }

  spread() {
    const [a, b] = [...this.points.values()];
    return Math.max(0.01, Math.hypot(a[0] - b[0], a[1] - b[1]));
  }

  // A gamepad: the left stick steers, the triggers or the right stick zoom.
  watchGamepads() {
    let was = false;
    setInterval(() => {
      const pad = [...navigator.getGamepads()].find((p) => p && p.connected);
      if (!pad) { if (was) { was = false; this.pushTo(0, 0, 0); } return; }
      const dead = (v) => (Math.abs(v) < 0.15 ? 0 : v);
      const zoom = dead((pad.buttons[7]?.value ?? 0) - (pad.buttons[6]?.value ?? 0)) || dead(-(pad.axes[3] ?? 0));
      const [x, y] = [dead(pad.axes[0] ?? 0), dead(pad.axes[1] ?? 0)];
      this.live = this.live || !!pad.buttons[5]?.pressed;
      if (x || y || zoom) { was = true; this.pushTo(x, y, zoom); } else if (was) { was = false; this.pushTo(0, 0, 0); }
    }, 50);
  }
}
