import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { addressKey } from '../core/address/address.ts';
import { MISADDRESSED, misaddressed, type Envelope, type Leaving } from '../core/checks/misaddressed.ts';
import { corpusRegister, type CorpusRegister } from '../core/filing/replay.ts';
import { readMbox } from '../core/message/mbox.ts';
import { readMessage } from '../core/message/read.ts';
import { writtenPart } from '../core/message/written.ts';
import { readTruth } from './decisions.ts';

/**
 * How well misaddressed mail is told: `npm run --silent checks:misaddressed -- DIR`. Of a corpus's outgoing mail, as
 * it rightly went, so much is warned of; of wrongly addressed copies made from it so much is caught, by kind of slip.
 */
const folder = process.argv[2];
if (!folder) {
  console.error('usage: npm run --silent checks:misaddressed -- DIR');
  process.exit(2);
}
const { register, idOf } = corpusRegister(
  JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister,
);
const corpus = JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister;
const truth = readTruth(folder);
/** The same on every run. */
let state = 7;
const chance = () => (state = (state * 48271) % 0x7fffffff) / 0x7fffffff;
const pick = <T>(all: readonly T[]): T => all[Math.floor(chance() * all.length)] as T;

const people = corpus.contacts.filter(({ addresses, links }) => addresses.length && links.length);
const known = people.flatMap(({ addresses }) => addresses.map(addressKey));
const metOf = new Map<number, Set<string>>();
const right = { count: 0, warned: 0, by: new Map<string, number>() };
const wrong = new Map<string, { made: number; caught: number }>();

function tell(leaving: Leaving, clients: readonly number[]) {
  const met = new Set(clients.flatMap((id) => [...(metOf.get(id) ?? [])]));
  return misaddressed(leaving, register, { met, near: known });
}
function note(kind: string, leaving: Leaving, clients: readonly number[]): void {
  const sum = wrong.get(kind) ?? { made: 0, caught: 0 };
  wrong.set(kind, sum);
  sum.made++;
  if (tell(leaving, clients).length) sum.caught++;
}

let index = -1;
const seen = new Set<string>();
for (const raw of readMbox(readFileSync(join(folder, 'mail.mbox')))) {
  const files = (truth[++index] ?? []).map(idOf);
  const read = await readMessage(raw);
  if (!files.length || !read.from) continue;
  const clients = [...new Set(files.flatMap((id) => register.file(id)?.clientId ?? []))];
  const all: Envelope[] = [
    ...read.to.map((each) => ({ name: each.name, email: each.address, at: 'to' as const })),
    ...read.cc.map((each) => ({ name: each.name, email: each.address, at: 'cc' as const })),
  ].filter(({ email }) => email);
  const outside = all.filter(({ email }) => !register.isOurs(email));
  const sent = register.isOurs(read.from.address) && outside.length > 0;
  // A message lies in several mailboxes of the corpus.
  const again = read.messageId !== null && seen.has(read.messageId);
  if (read.messageId) seen.add(read.messageId);
  if (sent && !again) {
    const leaving: Leaving = {
      envelope: all,
      fileIds: files,
      text: writtenPart(read.text, read.from.name ? [read.from.name] : [], read.from.address).own,
      enclosures: read.enclosures.map(({ filename }) => ({ filename, text: '', clientIds: [] })),
      answers: null,
    };
    right.count++;
    const found = tell(leaving, clients);
    if (found.length) right.warned++;
    for (const { kind, words } of found) {
      right.by.set(kind, (right.by.get(kind) ?? 0) + 1);
      if (process.env.SHOW) console.log(kind, '|', words, '|', read.subject);
    }
    spoil(leaving, clients);
  }
  for (const id of clients) {
    const met = metOf.get(id) ?? new Set();
    metOf.set(id, met);
    for (const { email } of [...all, { email: read.from.address }])
      if (!register.isOurs(email)) met.add(addressKey(email));
  }
}

/** Makes wrongly addressed copies of a message, one of each kind that can be made of it. */
function spoil(leaving: Leaving, clients: readonly number[]): void {
  const first = leaving.envelope.findIndex(({ email }) => !register.isOurs(email));
  const whom = leaving.envelope[first];
  if (!whom) return;
  const replaced = (by: Partial<Envelope>) => ({
    ...leaving,
    envelope: leaving.envelope.map((each, at) => (at === first ? { ...each, ...by } : each)),
  });
  const others = people.filter(({ id }) => {
    const own = corpus.contacts.find((contact) => contact.id === id);
    return (
      own &&
      !register
        .peopleAt(own.addresses[0] ?? '')
        .some((one) => one.clientIds.some((each) => clients.includes(each)))
    );
  });
  const other = pick(others);
  note(
    'to somebody of another client',
    replaced({ name: other.name, email: other.addresses[0] ?? '' }),
    clients,
  );
  const far = pick(
    corpus.files.filter(({ number }) => !clients.includes(register.file(idOf(number))?.clientId ?? 0)),
  );
  const farFile = register.file(idOf(far.number));
  note('logged on another client’s file', { ...leaving, fileIds: [idOf(far.number)] }, [
    farFile?.clientId ?? 0,
  ]);
  const greeting = /^([ \t]*(?:dear|hello|hi)[ \t]+)([^\n,]{1,60})/i;
  if (greeting.test(leaving.text.trimStart()))
    note(
      'greets somebody of another client',
      { ...leaving, text: leaving.text.trimStart().replace(greeting, `$1${other.name.split(' ')[0] ?? ''}`) },
      clients,
    );
  note(
    'with another client’s enclosure, by its number',
    { ...leaving, enclosures: [{ filename: `Report ${far.number}.pdf`, text: '', clientIds: [] }] },
    clients,
  );
  note(
    'with an enclosure that came from another client',
    { ...leaving, enclosures: [{ filename: 'map.pdf', text: '', clientIds: [farFile?.clientId ?? 0] }] },
    clients,
  );
  note(
    'a stranger in cc',
    {
      ...leaving,
      envelope: [...leaving.envelope, { name: '', email: 'j.unknown@elsewhere.example', at: 'cc' }],
    },
    clients,
  );
  const at = 1 + Math.floor(chance() * Math.max(1, whom.email.indexOf('@') - 1));
  note(
    'an address mistyped by a letter',
    replaced({ email: whom.email.slice(0, at) + whom.email.slice(at + 1) }),
    clients,
  );
  if (leaving.envelope.length > 1)
    note('to all, though it came to one', { ...leaving, answers: { all: true, hadBesides: 0 } }, clients);
}

const share = (part: number, of: number) => `${((100 * part) / Math.max(1, of)).toFixed(1)} %`;
console.log(
  `right outgoing mail: ${right.count}, warned of ${right.warned} (${share(right.warned, right.count)})`,
);
for (const kind of MISADDRESSED) if (right.by.get(kind)) console.log(`  ${kind}: ${right.by.get(kind)}`);
let made = 0;
let caught = 0;
for (const [kind, sum] of wrong) {
  made += sum.made;
  caught += sum.caught;
  console.log(`wrong, ${kind}: ${sum.caught} of ${sum.made} caught (${share(sum.caught, sum.made)})`);
}
console.log(
  `result misaddressed right=${right.count} warned=${(right.warned / Math.max(1, right.count)).toFixed(4)} wrong=${made} caught=${(caught / Math.max(1, made)).toFixed(4)}`,
);
