import { PNG } from 'pngjs';

type Colour = readonly [r: number, g: number, b: number];

/** A drawn landscape: a sky, and ranges of hills before each other. */
interface Landscape {
  sky: readonly [above: Colour, below: Colour];
  /** From the farthest: its colour, how far down it begins (0 to 1), how high its waves are, how many there are. */
  hills: readonly { colour: Colour; at: number; high: number; waves: number }[];
}

const [WIDTH, HEIGHT] = [520, 300];

/** An autumn wood below hills. */
export const WOOD: Landscape = {
  sky: [
    [196, 211, 214],
    [243, 233, 212],
  ],
  hills: [
    { colour: [150, 165, 160], at: 0.45, high: 0.06, waves: 1.3 },
    { colour: [120, 138, 112], at: 0.56, high: 0.05, waves: 2.1 },
    { colour: [166, 120, 62], at: 0.68, high: 0.04, waves: 9 },
    { colour: [126, 84, 44], at: 0.78, high: 0.03, waves: 15 },
    { colour: [64, 82, 58], at: 0.9, high: 0.02, waves: 2.6 },
  ],
};

/** Rows of an orchard in spring. */
export const ORCHARD: Landscape = {
  sky: [
    [206, 222, 229],
    [250, 240, 235],
  ],
  hills: [
    { colour: [170, 188, 178], at: 0.42, high: 0.05, waves: 1.7 },
    { colour: [226, 196, 196], at: 0.58, high: 0.04, waves: 12 },
    { colour: [140, 168, 120], at: 0.66, high: 0.02, waves: 1.2 },
    { colour: [234, 210, 208], at: 0.76, high: 0.045, waves: 7 },
    { colour: [110, 146, 96], at: 0.88, high: 0.02, waves: 1.9 },
  ],
};

/** @returns the bytes of a PNG, the same each time */
export function drawn({ sky: [above, below], hills }: Landscape): Buffer {
  const png = new PNG({ width: WIDTH, height: HEIGHT });
  for (let x = 0; x < WIDTH; x++) {
    const tops = hills.map(({ at, high, waves }, index) => {
      const turn = (x / WIDTH) * Math.PI * 2 * waves + index * 1.9;
      return HEIGHT * (at + high * Math.sin(turn) + (high / 2) * Math.sin(turn * 2.3 + 1));
    });
    for (let y = 0; y < HEIGHT; y++) {
      const nearest = tops.findLastIndex((top) => y >= top);
      const share = y / HEIGHT;
      const colour =
        hills[nearest]?.colour ?? above.map((part, at) => part + ((below[at] ?? part) - part) * share);
      png.data.set([...colour, 255], (y * WIDTH + x) * 4);
    }
  }
  return PNG.sync.write(png);
}
