// Live pictures: a head of 24 bytes, the length and name of what it shows, a JPEG. The newest is drawn, the others are passed over.
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
