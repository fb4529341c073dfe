// Live pictures come over WebRTC where that connects, else one by one over the page's own line:
// then each has a head of 24 bytes, the length and name of what it shows, a JPEG. The newest is drawn, the others are passed over.
const SIZES = ["small", "large"];

export class Pictures {
  constructor(drawn) {
    this.targets = new Map(); // "c1@small" -> [canvas, …]
    this.busy = new Set();
    this.waiting = new Map();
    this.drawn = drawn;
  }

  show(targets) {
    this.targets = targets;
  }

  came(buffer) {
    const view = new DataView(buffer);
    if (buffer.byteLength < 26 || view.getUint32(0) !== 0x52424c54) return;
    const length = view.getUint8(24);
    const name = new TextDecoder().decode(new Uint8Array(buffer, 25, length));
    const where = `${name}@${SIZES[view.getUint8(4)]}`;
    const one = {
      where,
      number: view.getUint32(8, true),
      captured: view.getFloat64(16, true),
      data: new Blob([new Uint8Array(buffer, 25 + length)], { type: "image/jpeg" }),
    };
    if (this.busy.has(where)) {
      const passed = this.waiting.get(where);
      if (passed) this.drawn(passed, false);
      this.waiting.set(where, one);
    } else this.draw(one);
  }

  async draw(one) {
    this.busy.add(one.where);
    try {
      const image = await createImageBitmap(one.data);
      for (const canvas of this.targets.get(one.where) ?? []) {
        if (canvas.width !== image.width) [canvas.width, canvas.height] = [image.width, image.height];
        canvas.getContext("2d").drawImage(image, 0, 0);
        canvas.dataset.number = one.number;
      }
      image.close();
      this.drawn(one, true);
    } catch {
      this.drawn(one, false);
    } finally {
      this.busy.delete(one.where);
      const next = this.waiting.get(one.where);
      if (next) {
        this.waiting.delete(one.where);
        this.draw(next);
      }
    }
  }
}

const SLOTS = 8;
const TALK_FIRST_MS = 250; // what was said is still on its way when the button is let go

// One line for all pictures; slot k shows the k-th place that is watched.
export class Streams {
  constructor(send, shown) {
    Object.assign(this, { send, shown });
    this.line = null;
    this.videos = [];
    this.places = [];
    this.last = null;
    this.frames = 0;
    this.sounds = []; // program if it may be heard, then the crew
    this.heard = false;
    this.voice = null;
  }

  get up() {
    return this.line?.connectionState === "connected" && this.frames > 0;
  }

  // What a page hears begins with a press: browsers want that.
  hear(on) {
    this.heard = on;
    for (const sound of this.sounds) { sound.audio.muted = !on; if (on) sound.audio.play().catch(() => {}); }
  }

  // The microphone is asked for at the first press, and sends only while the button is held.
  async talk(on) {
    const sender = this.sounds.at(-1)?.sender;
    if (!sender) return "The sound of the show has not come through.";
    this.talking = on;
    if (!on) {
      setTimeout(() => { if (!this.talking) sender.replaceTrack(null); }, TALK_FIRST_MS);
      return "";
    }
    try {
      this.voice ??= (await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: true, noiseSuppression: true } })).getAudioTracks()[0];
    } catch {
      this.voice = null;
      return "This browser gives no microphone: allow it for this page, then hold again.";
    }
    if (this.talking) await sender.replaceTrack(this.voice);
    return "";
  }

  async open(me) {
    this.close();
    const codecs = window.RTCRtpReceiver?.getCapabilities?.("video")?.codecs.filter((one) => one.mimeType === "video/H264") ?? [];
    if (!codecs.length) return;
    const line = (this.line = new RTCPeerConnection({ iceServers: [] }));
    for (let k = 0; k < SLOTS; k++) {
      const transceiver = line.addTransceiver("video", { direction: "recvonly" }), receiver = transceiver.receiver;
      transceiver.setCodecPreferences(codecs);
      receiver.jitterBufferTarget = 0;
      const video = document.createElement("video");
      Object.assign(video, { muted: true, autoplay: true, playsInline: true, srcObject: new MediaStream([receiver.track]) });
      video.className = "slot";
      document.body.append(video);
      this.videos.push(video);
      video.play().catch(() => {});
      const each = () => { this.frames += 1; this.shown(this.places[k], video); video.requestVideoFrameCallback(each); };
      video.requestVideoFrameCallback?.(each);
    }
    for (const crew of [...(me.hears ? [false] : []), ...(me.hears || me.talks ? [true] : [])]) {
      const { receiver, sender } = line.addTransceiver("audio", { direction: crew && me.talks ? "sendrecv" : "recvonly" });
      const audio = document.createElement("audio");
      Object.assign(audio, { autoplay: true, muted: !this.heard, srcObject: new MediaStream([receiver.track]) });
      document.body.append(audio);
      this.sounds.push({ audio, sender: crew && me.talks ? sender : null });
    }
    await line.setLocalDescription();
    if (line.iceGatheringState !== "complete") await new Promise((done) => {
      line.addEventListener("icegatheringstatechange", () => { if (line.iceGatheringState === "complete") done(); });
      setTimeout(done, 1500);
    });
    if (this.line === line) this.send({ rtc: { type: "offer", sdp: line.localDescription.sdp } });
  }

  async answered(answer) {
    if (answer.type !== "answer" || !this.line) return this.close();
    await this.line.setRemoteDescription(answer).catch(() => this.close());
  }

  // From the first packet of a frame to its being decoded, and half the way there and back, in ms.
  async delay() {
    if (!this.up) return null;
    let processing = 0, frames = 0, way = 0;
    for (const one of (await this.line.getStats()).values()) {
      if (one.type === "inbound-rtp" && one.kind === "video") { processing += one.totalProcessingDelay ?? 0; frames += one.framesDecoded ?? 0; }
      if (one.type === "candidate-pair" && one.nominated) way = one.currentRoundTripTime ?? 0;
    }
    const before = this.last ?? { processing: 0, frames: 0 };
    this.last = { processing, frames };
    const fresh = frames - before.frames;
    return fresh > 0 ? 1000 * ((processing - before.processing) / fresh + way / 2) : null;
  }

  close() {
    this.line?.close();
    for (const one of [...this.videos, ...this.sounds.map((sound) => sound.audio)]) one.remove();
    [this.sounds, this.talking] = [[], false];
    [this.line, this.videos, this.last, this.frames] = [null, [], null, 0];
  }
}
