import { DateTime } from 'luxon';
import { PNG } from 'pngjs';
import type { DocNode } from '../core/merge/document.ts';
import { paperOf } from '../server/foundation/firm.ts';
import { letterPdf } from '../server/reading/pdf.ts';
import { seeded } from '../outside/random.ts';
import { drawn } from './pictures.ts';
import { FIRM, STAFF, type DemoClient, type DemoFile, type DemoRegister } from './register.ts';

/** The demo firm's letter paper. */
const PAPER = paperOf(FIRM);

/** Each picture is drawn once: the same ones are sent again and again. */
function once(draw: (seed: number) => Buffer): (seed: number) => Buffer {
  const drawnOnes = new Map<number, Buffer>();
  return (seed) => {
    const made = drawnOnes.get(seed) ?? draw(seed);
    drawnOnes.set(seed, made);
    return made;
  };
}

/** A photograph of somewhere in the country, as a telephone would send it. @param seed from 0 to 11 */
export const photograph = once((seed) => {
  const random = seeded(`photograph ${seed % 12}`);
  const shade = (from: number, by: number) => Math.round(from + by * random());
  return drawn({
    sky: [
      [shade(180, 40), shade(196, 30), 222],
      [246, shade(226, 20), shade(200, 40)],
    ],
    hills: [
      { colour: [150, 166, 164], at: 0.4 + random() * 0.1, high: 0.05, waves: 1 + random() * 2 },
      { colour: [shade(96, 50), 138, 100], at: 0.54 + random() * 0.08, high: 0.05, waves: 2 + random() * 3 },
      { colour: [shade(110, 60), shade(96, 40), 58], at: 0.7, high: 0.04, waves: 6 + random() * 8 },
      { colour: [62, 84, 58], at: 0.86, high: 0.03, waves: 3 },
    ],
  });
});

const [MAP_WIDE, MAP_HIGH] = [640, 460];
const PARCELS = [
  [224, 232, 204],
  [206, 222, 190],
  [236, 228, 200],
  [190, 210, 176],
] as const;

/** A plan of fields, a lane and a brook. @param seed from 0 to 7 */
export const plan = once((seed) => {
  const random = seeded(`plan ${seed % 8}`);
  const png = new PNG({ width: MAP_WIDE, height: MAP_HIGH });
  const places = Array.from({ length: 14 }, () => ({ x: random() * MAP_WIDE, y: random() * MAP_HIGH }));
  const [bend, high, turn, slope] = [random() * 6, 0.3 + 0.4 * random(), random(), random() - 0.5];
  const brook = (x: number) => MAP_HIGH * (high + 0.12 * Math.sin(x / 70 + bend));
  const lane = (x: number) => MAP_HIGH * (0.2 + 0.5 * turn) + x * 0.25 * slope;
  const colourAt = (x: number, y: number): readonly number[] => {
    if (Math.abs(y - brook(x)) < 3.5) return [120, 158, 190];
    if (Math.abs(y - lane(x)) < 3) return [250, 246, 236];
    let [nearest, first, second] = [0, Infinity, Infinity];
    for (const [index, place] of places.entries()) {
      const far = Math.hypot(place.x - x, place.y - y);
      if (far < first) [nearest, first, second] = [index, far, first];
      else if (far < second) second = far;
    }
    // Where two fields meet there is a hedge.
    return second - first < 2.2 ? [92, 116, 84] : (PARCELS[nearest % PARCELS.length] ?? PARCELS[0]);
  };
  for (let y = 0; y < MAP_HIGH; y++)
    for (let x = 0; x < MAP_WIDE; x++) png.data.set([...colourAt(x, y), 255], (y * MAP_WIDE + x) * 4);
  return PNG.sync.write(png);
});

const text = (words: string): DocNode => ({ type: 'text', text: words });
const paragraph = (words: string): DocNode => ({ type: 'paragraph', content: [text(words)] });
const heading = (words: string): DocNode => ({
  type: 'heading',
  attrs: { level: 2 },
  content: [text(words)],
});
const cell = (words: string, head = false): DocNode => ({
  type: head ? 'tableHeader' : 'tableCell',
  content: [paragraph(words)],
});
const row = (words: readonly string[], head = false): DocNode => ({
  type: 'tableRow',
  content: words.map((each) => cell(each, head)),
});

/** What the firm found on a file's land, on two pages. @param day when it is of */
async function report(client: DemoClient, file: DemoFile, day: Date): Promise<Buffer> {
  const adviser = STAFF.find(({ id }) => id === client.adviserId);
  const date = DateTime.fromJSDate(day, { zone: FIRM.zone }).setLocale('en-GB').toFormat('d LLLL yyyy');
  const seen = [
    'The ground was walked from the lane to the brook and back along the upper hedge. It was dry, and what there is to see could be seen.',
    'The older part stands well. Along the northern edge the wind has got in, and some of the taller ones lean; none of them threatens the path.',
    'Of what was planted in the last two winters about four in five have taken. The gaps lie in the wet hollow, where another sort would do better.',
    'The fence holds on three sides. On the fourth two posts have gone, and sheep have been in; the damage is small so far.',
  ];
  const plots = Array.from({ length: 22 }, (_, index) => [
    `Plot ${index + 1}`,
    `${(((file.id * 7 + index * 13) % 90) / 10 + 0.4).toFixed(1)} ha`,
    ['Stands well', 'Thin next winter', 'Plant the gaps', 'Leave as it is'][(file.id + index) % 4] ?? '',
  ]);
  return letterPdf({
    paper: PAPER,
    madeAt: day,
    address: [client.name, ...client.postal],
    facts: [
      { label: 'Date', value: date },
      { label: 'Our reference', value: file.number },
      ...(adviser ? [{ label: 'Adviser', value: adviser.name }] : []),
    ],
    subject: `${file.title}: what we found`,
    body: {
      type: 'doc',
      content: [
        ...seen.map(paragraph),
        heading('What we suggest'),
        paragraph('The plots below, from the lane inwards. What is to be done this winter comes first.'),
        {
          type: 'table',
          attrs: { lines: true },
          content: [row(['Plot', 'Area', 'What to do'], true), ...plots.map((each) => row(each))],
        },
        ...seen.slice(1, 3).map(paragraph),
      ],
    },
    signature: [paragraph('With kind regards'), paragraph(adviser?.name ?? FIRM.name)],
    pictures: {},
    continued: `${FIRM.name} to ${client.name}, ${date}`,
    slip: null,
  });
}

/** Some weeks after it was opened. */
function seenOn({ opened }: DemoFile, now: Date): Date {
  const day = DateTime.fromISO(opened, { zone: FIRM.zone }).plus({ days: 24, hours: 11 }).toJSDate();
  return day < now ? day : now;
}

/** A large firm’s world is not to be waited for. */
const MOST_REPORTS = 110;

/** Reports on every fourth file, by its number in the records. */
export async function reportsOf({ clients }: DemoRegister, now: Date): Promise<ReadonlyMap<number, Buffer>> {
  const made = new Map<number, Buffer>();
  for (const client of clients)
    for (const file of client.files)
      if (file.id % 4 === 0 && !file.general && made.size < MOST_REPORTS)
        made.set(file.id, await report(client, file, seenOn(file, now)));
  return made;
}
