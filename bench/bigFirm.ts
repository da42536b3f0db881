import type { FileData, RegisterData } from '../core/filing/register.ts';
import { FIRST_NAMES, LAST_NAMES, MATTERS, placeName } from '../demo/names.ts';
import { pick } from '../outside/random.ts';

export const CLIENTS = 50_000;
export const PEOPLE = 120_000;
export const FILES = 200_000;

export type Firm = RegisterData;

/** The records of a large firm, as filing wants them. */
export function bigFirm(random: () => number): Firm {
  const surname = () =>
    pick(random, LAST_NAMES) + pick(random, ['', '', 'e', 'son', 'ley', 'man', 'wick', 'ridge']);
  const clients = Array.from({ length: CLIENTS }, (_, index) => ({
    id: index + 1,
    name:
      random() < 0.5
        ? `${pick(random, FIRST_NAMES)} ${surname()}`
        : `${placeName(random(), random())}${index % 977} ${pick(random, ['Estate', 'Farm', 'Trust', 'Parish Council'])}`,
  }));
  const people = Array.from({ length: PEOPLE }, (_, index) => {
    const name = `${pick(random, FIRST_NAMES)} ${surname()}`;
    const third = index % 20 === 0;
    const home = (index % CLIENTS) + 1;
    const clientIds = third
      ? [...new Set(Array.from({ length: 12 }, () => 1 + Math.floor(random() * CLIENTS)))]
      : [home];
    const host = index % 3 ? 'postbox.example' : `client${home}.example`;
    return {
      id: index + 1,
      name,
      addresses: [`${name.toLowerCase().replace(' ', '.')}${index}@${host}`],
      clientIds,
    };
  });
  const byClient = new Map<number, number[]>();
  for (const person of people)
    for (const clientId of person.clientIds)
      byClient.set(clientId, [...(byClient.get(clientId) ?? []), person.id]);
  const files: FileData[] = Array.from({ length: FILES }, (_, index) => {
    const clientId = (index % CLIENTS) + 1;
    const general = index < CLIENTS;
    return {
      id: index + 1,
      number: `QL-${String(100_000 + index)}`,
      title: general
        ? 'General correspondence'
        : `${pick(random, MATTERS).title}, ${placeName(random(), random())} ${word(Math.floor(random() * 2000))}`,
      clientId,
      general,
      closed: !general && random() < 0.4,
      personIds: (byClient.get(clientId) ?? []).filter(() => random() < 0.6),
    };
  });
  return {
    firmDomains: ['firm.example'],
    staffAddresses: [],
    freemail: ['postbox.example'],
    fileNumberPattern: 'QL-\\d{6}',
    clients,
    people,
    files,
  };
}

/** A made-up word, always the same for the same number; lower numbers are used more often, as in real text. */
export function word(index: number): string {
  const parts = [
    'ba',
    'ro',
    'ti',
    'len',
    'mor',
    'sa',
    'gu',
    'fen',
    'dil',
    'pex',
    'wen',
    'co',
    'hul',
    'ja',
    'kir',
    'nos',
  ];
  let rest = index + 17;
  let text = '';
  while (rest > 0) {
    text += parts[rest % parts.length];
    rest = Math.floor(rest / parts.length);
  }
  return text;
}
