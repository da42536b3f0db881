import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { expect } from 'chai';
import ts from 'typescript';

/** The rooms of the server floor, in order: each imports only from those before it. What lies in none composes them all. */
const ROOMS = [
  'foundation',
  'security',
  'reading',
  'mailserver',
  'office',
  'selection',
  'facts',
  'records',
  'correspondence',
  'documents',
  'collection',
  'timeline',
  'tasks',
  'filing',
  'intake',
  'dispatch',
  'mailbox',
  'textmessage',
  'writing',
  'mailing',
  'paperwork',
  'orders',
  'reckoning',
  'today',
  'http',
];
const FLOORS = ['core', 'contract', 'server', 'outside', 'demo', 'scripts', 'bench'];

/** Which files each file imports, of those in this project. */
const imports = new Map(
  FLOORS.flatMap((floor) =>
    readdirSync(floor, { recursive: true, encoding: 'utf8' })
      .filter((name) => name.endsWith('.ts'))
      .map((name) => {
        const file = join(floor, name);
        const { importedFiles } = ts.preProcessFile(readFileSync(file, 'utf8'));
        const own = importedFiles.filter(({ fileName }) => fileName.startsWith('.'));
        return [file, own.map(({ fileName }) => normalize(join(dirname(file), fileName)))] as const;
      }),
  ),
);

describe('the house', () => {
  it('has its server rooms in order: each imports only from those before it', () => {
    const placeOf = (file: string) => {
      const [floor, room, ...rest] = file.split('/');
      return floor === 'server' ? (rest.length ? ROOMS.indexOf(room ?? '') : ROOMS.length) : null;
    };
    for (const [file, targets] of imports) {
      const place = placeOf(file);
      if (place === null) continue;
      expect(place, `${file} lies in a room that has no place in the order`).to.not.equal(-1);
      for (const target of targets)
        expect(placeOf(target) ?? 0, `${file} reaches up to ${target}`).to.be.at.most(place);
    }
  });

  it('has no circle of imports', () => {
    const done = new Set<string>();
    const visit = (file: string, way: readonly string[]): void => {
      expect(way, [...way.slice(way.indexOf(file)), file].join(' → ')).to.not.include(file);
      if (done.has(file)) return;
      for (const target of imports.get(file) ?? []) visit(target, [...way, file]);
      done.add(file);
    };
    for (const file of imports.keys()) visit(file, []);
  });

  it('lets migrations call nothing that changes', () => {
    for (const [file, targets] of imports)
      if (file.includes('/migrations/'))
        expect(
          targets.filter((target) => !target.endsWith('/apply.ts')),
          file,
        ).to.deep.equal([]);
  });
});
