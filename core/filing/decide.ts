import { subjectKey } from '../conversation/subject.ts';
import type { FilingRegister, RegisteredFile, RegisteredPerson } from './register.ts';
import type { Candidate, Decision, EarlierMessage, Evidence, FilingContext, FilingMessage } from './types.ts';
import { tellingWords } from './words.ts';

/** At most this many files are suggested. */
const MOST_CANDIDATES = 5;

/**
 * Decides where one message belongs. Rules are tried from the surest to the weakest; the first that
 * is certain decides, the others only suggest. Pure: everything it may know is in its arguments.
 */
export function decide(register: FilingRegister, message: FilingMessage, context: FilingContext): Decision {
  const scene = survey(register, message, context);
  for (const rule of RULES) {
    const decision = rule(scene);
    if (decision) return decision;
  }
  return suggest(scene, []);
}

/** Everything the rules look at, gathered once. */
interface Scene {
  register: FilingRegister;
  message: FilingMessage;
  outsiders: { address: string; name: string; people: readonly RegisteredPerson[] }[];
  /** Clients of the outside people, by how many of the people belong to each. */
  clientIds: number[];
  inSubject: number[];
  inOwnText: number[];
  earlier: EarlierMessage | undefined;
  sameSubject: readonly EarlierMessage[];
}

function survey(register: FilingRegister, message: FilingMessage, context: FilingContext): Scene {
  const named = message.returned ? [message.returned, ...message.named] : message.named;
  const addresses = new Map<string, string>();
  for (const { address, name } of [...(message.from ? [message.from] : []), ...message.recipients]) {
    if (address && !register.isOurs(address)) addresses.set(address, name);
  }
  for (const address of message.undelivered) if (!register.isOurs(address)) addresses.set(address, '');
  const outsiders = [...addresses].map(([address, name]) => ({
    address,
    name,
    people: register.peopleAt(address),
  }));
  return {
    register,
    message,
    outsiders,
    clientIds: [...new Set(outsiders.flatMap(({ people }) => people.flatMap((person) => person.clientIds)))],
    inSubject: register.numbers.in(message.subject),
    inOwnText: register.numbers.in(message.own),
    // What waits in Sorting itself says nothing: the next one named may.
    earlier: named.map((id) => context.earlier.get(id)).find((found) => found && found.state !== 'suggested'),
    sameSubject: context.sameSubject,
  };
}

type Rule = (scene: Scene) => Decision | null;

/** A delivery report or automatic answer goes where the message that caused it went. */
const automaticAnswer: Rule = ({ message, earlier }) => {
  if (message.automatic !== 'report' && message.automatic !== 'reply') return null;
  if (!earlier) return null;
  const what = message.automatic === 'report' ? 'A delivery report' : 'An automatic answer';
  if (earlier.state === 'logged') {
    return logged(earlier.fileIds, [plus('returned', `${what} to a message on this file`)]);
  }
  return earlier.state === 'aside'
    ? aside('automatic', `${what} to a message that is not client mail`)
    : null;
};

/** Circulars and machines' notices are not client correspondence, unless they answer a filed message. */
const circular: Rule = ({ message, earlier }) => {
  if (message.automatic === 'list' && earlier?.state !== 'logged') {
    return aside('list', 'Sent to a list, not to us');
  }
  return message.automatic === 'notice' && !earlier ? aside('automatic', 'Sent by a machine') : null;
};

/** Mail among staff: a number in the subject or a filed conversation decides, else it is internal. */
const internal: Rule = (scene) => {
  const { message, register, inSubject, earlier, outsiders } = scene;
  if (outsiders.length || !message.from) return null;
  if (inSubject.length)
    return logged(inSubject, [plus('number', `${numbersOf(register, inSubject)} stands in the subject`)]);
  if (earlier?.state === 'logged')
    return logged(earlier.fileIds, [plus('conversation', 'Goes on a conversation on this file')]);
  const forwarded = peopleIn(register, message.quoted);
  if (forwarded.length) {
    return suggest(scene, ranked(scene, forwarded), [plus('person', 'Forwards mail from somebody we know')]);
  }
  return aside('internal', 'Between ourselves');
};

/** A reply goes where its conversation is filed, unless it plainly names another file. */
const conversation: Rule = (scene) => {
  const { register, message, earlier, inSubject, inOwnText } = scene;
  if (!earlier) return null;
  if (earlier.state === 'aside') {
    return scene.clientIds.length || inSubject.length
      ? null
      : aside('conversation', 'Goes on a conversation that is not client mail');
  }
  if (earlier.state !== 'logged') return null;
  const others = [...new Set([...inSubject, ...inOwnText])].filter((id) => !earlier.fileIds.includes(id));
  const evidence = [plus('conversation', 'Goes on a conversation on this file')];
  const changed = Boolean(earlier.subjectKey) && subjectKey(message.subject) !== earlier.subjectKey;
  if (!others.length && !changed) return logged(earlier.fileIds, evidence);
  if (!others.length && !mentionsAnotherFile(scene, earlier.fileIds))
    return logged(earlier.fileIds, evidence);
  const named = others.map((id) =>
    candidate(id, 'likely', [plus('number', `${numbersOf(register, [id])} stands in what was written`)]),
  );
  const old = earlier.fileIds.map((id) =>
    candidate(id, 'likely', [...evidence, ...(changed ? [minus('subject', 'The subject was changed')] : [])]),
  );
  return suggest(scene, [...named, ...old, ...ranked(scene, scene.clientIds)]);
};

/** A file number in the writer's own words decides, when the people fit it. */
const fileNumber: Rule = (scene) => {
  const { register, inSubject, inOwnText, clientIds } = scene;
  const ids = inSubject.length ? inSubject : inOwnText;
  if (!ids.length) return null;
  const where = inSubject.length ? 'the subject' : 'what was written';
  const evidence = [plus('number', `${numbersOf(register, ids)} stands in ${where}`)];
  const files = ids.map((id) => register.file(id)).filter((file) => file !== undefined);
  const fits = files.every((file) => clientIds.includes(file.clientId));
  if (fits && (files.length === 1 || new Set(files.map((file) => file.clientId)).size === files.length)) {
    return logged(ids, [...evidence, plus('person', 'Written by or to people of this client')]);
  }
  const likelihood = files.length === 1 && !clientIds.length ? 'nearly certain' : 'likely';
  const against = clientIds.length && !fits ? [minus('person', 'The people belong to another client')] : [];
  return suggest(scene, [
    ...ids.map((id) => candidate(id, likelihood, [...evidence, ...against])),
    ...ranked(scene, clientIds),
  ]);
};

/** A reply whose threading was lost: same subject, same people. */
const lostThread: Rule = (scene) => {
  const latest = scene.sameSubject[0];
  if (!latest || latest.state !== 'logged') return null;
  const oneFile = scene.sameSubject.every(
    (other) => other.state === 'logged' && other.fileIds.join() === latest.fileIds.join(),
  );
  const evidence = [plus('subject', 'Same subject and people as messages on this file')];
  if (oneFile) return logged(latest.fileIds, evidence);
  const ids = [...new Set(scene.sameSubject.flatMap((other) => other.fileIds))];
  return suggest(scene, [
    ...ids.map((id) => candidate(id, 'likely', evidence)),
    ...ranked(scene, scene.clientIds),
  ]);
};

/** A known address of one client with one open file, or with none but General. */
const knownAddress: Rule = (scene) => {
  const { register, outsiders, clientIds, message } = scene;
  const known = outsiders.filter(({ people }) => people.length);
  const [clientId] = clientIds;
  if (!known.length || clientId === undefined) return null;
  const candidates = ranked(scene, clientIds);
  if (clientIds.length > 1 || message.automatic) return suggest(scene, candidates);
  if (known.some(({ people }) => people.length > 1)) return suggest(scene, candidates);
  const open = register.openFilesOf(clientId);
  const specific = open.filter((file) => !file.general);
  const only =
    specific.length === 1 ? specific[0] : specific.length ? undefined : open.find((file) => file.general);
  if (!only) return suggest(scene, candidates);
  const person = known[0]?.people[0];
  return logged(
    [only.id],
    [
      plus('person', `${person?.name || 'The address'} belongs to ${register.clientName(clientId)}`),
      only.general
        ? plus('general', 'The client has no other open file')
        : plus('only-file', 'The client’s only open file'),
    ],
  );
};

/** An unknown address under a known person's name. */
const knownName: Rule = (scene) => {
  const people = scene.outsiders.flatMap(({ name }) => scene.register.peopleNamed(name));
  const clientIds = [...new Set(people.flatMap((person) => person.clientIds))];
  if (!clientIds.length) return null;
  const why = plus('name', `${people[0]?.name} is known, but not at this address`);
  return suggest(scene, ranked(scene, clientIds), [why]);
};

const RULES: readonly Rule[] = [
  automaticAnswer,
  circular,
  internal,
  conversation,
  fileNumber,
  lostThread,
  knownAddress,
  knownName,
];

/** Ranks the open files of the clients by the people and words that speak for each. */
function ranked(scene: Scene, clientIds: readonly number[]): Candidate[] {
  const { register, message } = scene;
  const words = tellingWords(`${message.subject} ${message.own}`);
  const personIds = scene.outsiders.flatMap(({ people }) => people.map((person) => person.id));
  const shared = scene.outsiders.some(
    ({ people }) => new Set(people.flatMap((person) => person.clientIds)).size > 1,
  );
  const files = clientIds.flatMap((id) => register.openFilesOf(id));
  const scored = files.map((file) => {
    const common = [
      ...tellingWords(
        clientIds.length > 1 ? `${file.title} ${register.clientName(file.clientId)}` : file.title,
      ),
    ].filter((word) => words.has(word));
    const named = file.personIds.some((id) => personIds.includes(id));
    const evidence: Evidence[] = [];
    if (named) evidence.push(plus('person', 'The correspondent is named on this file'));
    else if (personIds.length) evidence.push(plus('person', 'The correspondent belongs to this client'));
    if (common.length)
      evidence.push(
        plus(
          'words',
          `${quoteList(common)} ${common.length > 1 ? 'stand' : 'stands'} in the message and in the file’s name`,
        ),
      );
    if (file.general) evidence.push(plus('general', 'Used when nothing more particular fits'));
    if (files.length > 1 && !file.general) evidence.push(minus('other-files', otherFiles(files, file)));
    if (shared) evidence.push(minus('several-clients', 'The correspondent belongs to several clients'));
    return {
      file,
      score: common.length * 2 + (named ? 1 : 0) - (file.general ? 0.5 : 0),
      evidence,
      words: common.length,
    };
  });
  scored.sort((a, b) => b.score - a.score || b.file.number.localeCompare(a.file.number));
  const runnerUp = scored[1]?.score ?? 0;
  return scored.map(({ file, score, evidence, words: count }, index) =>
    candidate(file.id, index === 0 && count > 0 && score > runnerUp ? 'likely' : 'unsure', evidence),
  );
}

function otherFiles(files: readonly RegisteredFile[], file: RegisteredFile): string {
  const others = files.filter((other) => other.clientId === file.clientId && other.id !== file.id).length;
  const clients = new Set(files.map((other) => other.clientId)).size;
  if (clients > 1) return `${clients} clients come into question`;
  return `The client has ${others} other open ${others === 1 ? 'file' : 'files'}`;
}

/** Whether subject and text share telling words with another open file of the same client, and none with these. */
function mentionsAnotherFile(scene: Scene, fileIds: readonly number[]): boolean {
  const { register, message } = scene;
  const words = tellingWords(`${message.subject} ${message.own}`);
  const hits = (file: RegisteredFile) =>
    [...tellingWords(file.title)].filter((word) => words.has(word)).length;
  const current = fileIds.map((id) => register.file(id)).filter((file) => file !== undefined);
  const others = current
    .flatMap((file) => register.openFilesOf(file.clientId))
    .filter((file) => !fileIds.includes(file.id));
  return others.some((file) => hits(file) > 0) && !current.some((file) => hits(file) > 0);
}

/** Clients of the people whose addresses stand in a forwarded text. */
function peopleIn(register: FilingRegister, quoted: string): number[] {
  const addresses = quoted.match(/[^\s<>()[\],;:"]+@[^\s<>()[\],;:"]+/g) ?? [];
  const people = addresses
    .filter((address) => !register.isOurs(address))
    .flatMap((address) => register.peopleAt(address));
  return [...new Set(people.flatMap((person) => person.clientIds))];
}

function logged(fileIds: readonly number[], evidence: Evidence[]): Decision {
  return { state: 'logged', fileIds: [...fileIds], evidence };
}

function aside(kind: Evidence['kind'], words: string): Decision {
  return { state: 'aside', evidence: [plus(kind, words)] };
}

function suggest(scene: Scene, candidates: readonly Candidate[], evidence: Evidence[] = []): Decision {
  const byFile = new Map<number, Candidate>();
  for (const next of candidates) {
    const known = byFile.get(next.fileId);
    if (!known) byFile.set(next.fileId, { ...next, evidence: [...next.evidence] });
    else
      known.evidence.push(
        ...next.evidence.filter((item) => !known.evidence.some((other) => other.words === item.words)),
      );
  }
  const list = [...byFile.values()].slice(0, MOST_CANDIDATES);
  if (scene.message.automatic) evidence = [...evidence, minus('automatic', 'Sent by a machine')];
  return { state: 'suggested', candidates: list, evidence };
}

function candidate(fileId: number, likelihood: Candidate['likelihood'], evidence: Evidence[]): Candidate {
  return { fileId, likelihood, evidence };
}

function plus(kind: Evidence['kind'], words: string): Evidence {
  return { kind, side: 'for', words };
}

function minus(kind: Evidence['kind'], words: string): Evidence {
  return { kind, side: 'against', words };
}

function numbersOf(register: FilingRegister, ids: readonly number[]): string {
  return ids.map((id) => register.file(id)?.number ?? '').join(' and ');
}

function quoteList(words: readonly string[]): string {
  return words
    .slice(0, 3)
    .map((word) => `“${word}”`)
    .join(', ');
}
