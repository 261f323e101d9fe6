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

const HEIGHT = 15;
const CELL = 80;
const RINGS = [1, 12, 28, 46, 66, 90, 120];
/** Names from which on none moves away from its sign: so many lines to them nobody can follow. */
const CROWD = 150;
/** Upper right first, as on a printed plan; then round it. */
const ANGLES = [-45, 0, 45, -135, 180, 135, -90, 90].map((degrees) => (degrees * Math.PI) / 180);

export type Box = [number, number, number, number];

/** Boxes in square cells, so that only near ones are looked at. */
class Taken {
  private cells = new Map<number, Box[]>();

  add(box: Box) {
    each(box, (key) => {
      const held = this.cells.get(key);
      if (held) held.push(box);
      else this.cells.set(key, [box]);
    });
  }

  /** Square pixels that are taken of a box, or something above `most` once it is clear that they are more. */
  covered(box: Box, most: number): number {
    let sum = 0;
    each(box, (key, left, top) => {
      const held = this.cells.get(key);
      if (!held) return;
      for (const other of held) {
        if (sum > most) return;
        const [x, y] = [Math.max(box[0], other[0]), Math.max(box[1], other[1])];
        const [right, bottom] = [Math.min(box[2], other[2]), Math.min(box[3], other[3])];
        // what two share is counted in the cell of its upper left corner, for both may lie in several
        if (right > x && bottom > y && x >= left && x < left + CELL && y >= top && y < top + CELL)
          sum += (right - x) * (bottom - y);
      }
    });
    return sum;
  }
}

/** The cells of a box, each with its upper left corner. */
function each([a, b, c, d]: Box, see: (key: number, left: number, top: number) => void) {
  for (let x = Math.floor(a / CELL); x <= Math.floor(c / CELL); x += 1)
    for (let y = Math.floor(b / CELL); y <= Math.floor(d / CELL); y += 1) see(x * 1e6 + y, x * CELL, y * CELL);
}

/** A place for each name, in the order given: the first ones choose first. Where there is none free, the one that covers least; and none at all, until the
 * sheet is drawn larger, where even that would be covered by half. Of a crowd none moves away from its sign. A name whose sign is within the sheet stays within it. */
export function placed(wanted: Wanted[], sheet?: Box): (Placed | null)[] {
  const taken = new Taken();
  const signs = new Set<string>(); // of many on one place one is enough
  for (const { x, y, sign } of wanted) {
    const at = `${Math.round(x)} ${Math.round(y)} ${sign}`;
    if (!sign || signs.has(at)) continue;
    signs.add(at);
    taken.add([x - sign, y - sign, x + sign, y + sign]);
  }
  return wanted.map((one, k) => {
    let best: Placed | null = null;
    let least = k === 0 ? Infinity : (one.width * HEIGHT) / 2; // the first, which may be the chosen one, is never left out
    for (const candidate of candidates(one, wanted.length > CROWD ? RINGS.slice(0, 1) : RINGS)) {
      const box = boxOf(one, candidate);
      const beyond = sheet && inside(one, sheet) ? outside(box, sheet) : 0;
      if (beyond >= least) continue;
      const covers = beyond + taken.covered(box, least - beyond);
      if (covers < least) [least, best] = [covers, candidate];
      if (covers === 0) break;
    }
    if (best) taken.add(boxOf(one, best));
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

function* candidates({ width, sign }: Wanted, rings: number[]): Generator<Placed> {
  if (!sign) yield { dx: 0, dy: 0, far: false };
  for (const [k, ring] of rings.entries()) {
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
