/** Where names stand beside their signs, so that none covers another name or a sign. All in pixels, y down. */

export interface Wanted {
  /** The sign's middle. */
  x: number;
  y: number;
  width: number;
  /** Half the room that the sign itself takes; 0 for a name in the middle of an area. */
  sign: number;
}

export interface Placed {
  /** From the sign's middle to the name's middle. */
  dx: number;
  dy: number;
  /** Whether it stands so far off that a line to its sign is wanted. */
  far: boolean;
}

export const HEIGHT = 15;
const CELL = 80;
const RINGS = [1, 12, 28, 46, 66, 90, 120];
/** Upper right first, as on a printed plan; then round it. */
const ANGLES = [-45, 0, 45, -135, 180, 135, -90, 90].map((degrees) => (degrees * Math.PI) / 180);

export type Box = [number, number, number, number];

/** Boxes in square cells, so that only near ones are looked at. */
class Taken {
  private cells = new Map<string, Box[]>();

  add(box: Box) {
    for (const key of this.keys(box)) {
      const held = this.cells.get(key);
      if (held) held.push(box);
      else this.cells.set(key, [box]);
    }
  }

  covered(box: Box): number {
    const met = new Set<Box>();
    for (const key of this.keys(box)) for (const other of this.cells.get(key) ?? []) met.add(other);
    let sum = 0;
    for (const [a, b, c, d] of met)
      sum +=
        Math.max(0, Math.min(box[2], c) - Math.max(box[0], a)) * Math.max(0, Math.min(box[3], d) - Math.max(box[1], b));
    return sum;
  }

  private keys([a, b, c, d]: Box): string[] {
    const keys = [];
    for (let x = Math.floor(a / CELL); x <= Math.floor(c / CELL); x += 1)
      for (let y = Math.floor(b / CELL); y <= Math.floor(d / CELL); y += 1) keys.push(`${x} ${y}`);
    return keys;
  }
}

/** A place for each name, in the order given: the first ones choose first. Where there is none free, the one that covers least. A name whose sign
 * is within the sheet stays within it. */
export function placed(wanted: Wanted[], sheet?: Box): Placed[] {
  const taken = new Taken();
  for (const { x, y, sign } of wanted) if (sign) taken.add([x - sign, y - sign, x + sign, y + sign]);
  return wanted.map((one) => {
    let best: Placed = { dx: 0, dy: 0, far: false };
    let least = Infinity;
    for (const candidate of candidates(one)) {
      const box = boxOf(one, candidate);
      const covers = taken.covered(box) + (sheet && inside(one, sheet) ? outside(box, sheet) : 0);
      if (covers < least) [least, best] = [covers, candidate];
      if (covers === 0) break;
    }
    taken.add(boxOf(one, best));
    return best;
  });
}

export function boxOf({ x, y, width }: Wanted, { dx, dy }: Placed): Box {
  return [x + dx - width / 2, y + dy - HEIGHT / 2, x + dx + width / 2, y + dy + HEIGHT / 2];
}

function inside({ x, y }: Wanted, [a, b, c, d]: Box): boolean {
  return x >= a && x <= c && y >= b && y <= d;
}

/** Square pixels of a name beyond the sheet's edge. */
function outside(box: Box, sheet: Box): number {
  const [left, top, right, bottom] = [
    Math.max(box[0], sheet[0]),
    Math.max(box[1], sheet[1]),
    Math.min(box[2], sheet[2]),
    Math.min(box[3], sheet[3]),
  ];
  const whole = (box[2] - box[0]) * (box[3] - box[1]);
  return whole - Math.max(0, right - left) * Math.max(0, bottom - top);
}

function* candidates({ width, sign }: Wanted): Generator<Placed> {
  if (!sign) yield { dx: 0, dy: 0, far: false };
  for (const [k, ring] of RINGS.entries()) {
    for (const angle of ANGLES) {
      const reach = sign + ring;
      const [right, down] = [Math.cos(angle), Math.sin(angle)].map((v) => (Math.abs(v) > 0.3 ? Math.sign(v) : 0)) as [
        number,
        number,
      ];
      yield { dx: right * (reach + width / 2), dy: down * (reach + HEIGHT / 2), far: k > 0 };
    }
  }
}
