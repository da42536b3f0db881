import { subjectKey } from '../conversation/subject.ts';
import { readMessage } from '../message/read.ts';
import { certainPlace, decideBare, evidentFile, type Placed } from './certain.ts';
import { decide, evidentLesson, lessonOf, type FilingKnowledge } from './decide.ts';
import { Experience, type Lesson } from './experience.ts';
import { filingMessage, subjectKeys } from './message.ts';
import { FilingRegister } from './register.ts';
import type { Decision, EarlierMessage, FilingContext, FilingMessage } from './types.ts';

/** The register file of a filing corpus. */
export interface CorpusRegister {
  firm: {
    domains: string[];
    staff: { addresses: string[] }[];
    freemail?: string[];
    fileNumberPattern: string;
  };
  clients: { id: string; name: string; domain?: string | null }[];
  contacts: { id: string; name: string; addresses: string[]; links: { clientId: string }[] }[];
  files: { number: string; title: string; clientId: string; closed: string | null; contactIds: string[] }[];
}

export interface ReplayStep {
  messageId: string;
  mailbox: string;
  outcome: 'auto' | 'suggest' | 'none';
  files: string[];
  candidates: string[];
  /** From the raw message to the decision, in microseconds. */
  micros: number;
  /** What the decision was made of and from. */
  decision: Decision;
  message: FilingMessage;
  context: FilingContext;
  knowledge: FilingKnowledge;
}

/** What somebody says of a message that was decided on: the numbers of its files, none for what is not client mail. */
export interface Told {
  /** Which message of the corpus, from 0. */
  index: number;
  files: readonly string[];
}

/** @returns all of a corpus at once and without mistake: the truth of each message as soon as it is decided on */
export function toldAll(
  truth: (index: number) => readonly string[],
): (step: ReplayStep, index: number) => Told[] {
  return (_, index) => [{ index, files: truth(index) }];
}

/**
 * Lets an office live: it says where a message belongs when it was asked, and of what was settled without it when it
 * notices a mistake.
 * @param delay after so many more messages it says so
 * @param notice the share of mistakes that it notices
 * @param chance between 0 and 1, once a mistake
 */
export function toldAsked(
  truth: (index: number) => readonly string[],
  { delay, notice }: { delay: number; notice: number },
  chance: () => number,
): (step: ReplayStep, index: number) => Told[] {
  const waiting: Told[] = [];
  return (step, index) => {
    const files = truth(index);
    const wrong = step.outcome !== 'suggest' && [...step.files].sort().join() !== [...files].sort().join();
    if (step.outcome === 'suggest' || (wrong && chance() < notice)) waiting.push({ index, files });
    const due = waiting.findIndex((each) => each.index > index - delay);
    return waiting.splice(0, due < 0 ? waiting.length : due);
  };
}

/**
 * Replays a corpus through the engine. Each message stays where it was put, or waits, until somebody says where it
 * belongs; that is remembered and learned from as the manager's correction would be.
 * @param told what is said after a message was decided on, of it or of those before
 * @param now a clock in milliseconds
 */
export async function* replay(
  corpus: CorpusRegister,
  messages: Iterable<Uint8Array>,
  told: (step: ReplayStep, index: number) => readonly Told[],
  now: () => number,
): AsyncGenerator<ReplayStep> {
  const { register, numberOf, idOf } = corpusRegister(corpus);
  const knowledge: FilingKnowledge = {
    register,
    experience: new Experience(),
    rules: [],
    unconnected: new Set(['business', 'past']),
  };
  const memory = new MailMemory(register);
  const kept: { message: FilingMessage; entry: EarlierMessage; lesson: Lesson | null }[] = [];
  const places = new Map<string, Placed>();
  for (const raw of messages) {
    const started = now();
    const read = await readMessage(raw);
    const message = filingMessage(register, read);
    const context = memory.context(message);
    const decision = decide(knowledge, message, context);
    const micros = (now() - started) * 1000;
    const step: ReplayStep = {
      decision,
      message,
      context,
      knowledge,
      messageId:
        (read.headers.get('message-id') ?? '').trim().replace(/^<|>$/g, '') &&
        (read.headers.get('message-id') ?? '').trim(),
      mailbox: (read.headers.get('x-corpus-mailbox') ?? '').trim(),
      outcome: decision.state === 'logged' ? 'auto' : decision.state === 'suggested' ? 'suggest' : 'none',
      files: decision.state === 'logged' ? decision.fileIds.map(numberOf) : [],
      candidates:
        decision.state === 'suggested' ? decision.candidates.map((entry) => numberOf(entry.fileId)) : [],
      micros,
    };
    yield step;
    const index = kept.length;
    const id = read.messageId ?? `#${index}`;
    const fileId = places.has(id) ? undefined : evident(knowledge, message, places);
    const lesson = fileId === undefined ? null : evidentLesson(register, message, fileId);
    if (lesson) knowledge.experience.learn(lesson);
    if (fileId !== undefined) places.set(id, { message, fileId });
    kept.push({ message, entry: memory.remember(id, message, decision), lesson });
    for (const each of told(step, index)) {
      const about = kept[each.index];
      if (!about) continue;
      const fileIds = each.files.map(idOf);
      // What a person says takes the place of what the evidence said.
      if (about.lesson) knowledge.experience.unlearn(about.lesson);
      about.lesson = null;
      const [only] = fileIds;
      if (only !== undefined && fileIds.length === 1)
        places.set(about.entry.messageId, { message: about.message, fileId: only });
      else places.delete(about.entry.messageId);
      knowledge.experience.learn(lessonOf(register, about.message, fileIds));
      about.entry.state = fileIds.length ? 'logged' : 'aside';
      about.entry.fileIds = fileIds;
    }
  }
}

function evident(knowledge: FilingKnowledge, message: FilingMessage, places: ReadonlyMap<string, Placed>) {
  const before = message.named.find((id) => places.has(id));
  return evidentFile(
    knowledge,
    message,
    certainPlace(knowledge, message, decideBare(knowledge, message)),
    before ? places.get(before) : undefined,
  );
}

/** The register of a corpus as filing has it. */
export function corpusRegister(corpus: CorpusRegister) {
  const clientIds = new Map(corpus.clients.map((client, index) => [client.id, index + 1]));
  const personIds = new Map(corpus.contacts.map((contact, index) => [contact.id, index + 1]));
  const fileIds = new Map(corpus.files.map((file, index) => [file.number, index + 1]));
  const register = new FilingRegister({
    firmDomains: corpus.firm.domains,
    staffAddresses: corpus.firm.staff.flatMap((member) => member.addresses),
    freemail: corpus.firm.freemail ?? [],
    fileNumberPattern: corpus.firm.fileNumberPattern,
    clients: corpus.clients.map((client) => ({
      id: clientIds.get(client.id) ?? 0,
      name: client.name,
      domain: client.domain,
    })),
    people: corpus.contacts.map((contact) => ({
      id: personIds.get(contact.id) ?? 0,
      name: contact.name,
      addresses: contact.addresses,
      clientIds: contact.links.map((link) => clientIds.get(link.clientId) ?? 0),
    })),
    files: corpus.files.map((file) => ({
      id: fileIds.get(file.number) ?? 0,
      number: file.number,
      title: file.title,
      clientId: clientIds.get(file.clientId) ?? 0,
      general: file.title === 'General correspondence',
      closed: file.closed !== null,
      personIds: file.contactIds.map((id) => personIds.get(id) ?? 0),
    })),
  });
  return {
    register,
    numberOf: (id: number) => corpus.files[id - 1]?.number ?? '',
    idOf: (number: string) => fileIds.get(number) ?? 0,
  };
}

/** The firm's mail as far as it was replayed; the server asks its database the same questions. */
class MailMemory {
  private readonly byId = new Map<string, EarlierMessage>();
  private readonly bySubject = new Map<string, EarlierMessage[]>();

  constructor(private readonly register: FilingRegister) {}

  /** What the mail so far says about a message. */
  context(message: FilingMessage): FilingContext {
    const found = this.keys(message).flatMap((key) => this.bySubject.get(key) ?? []);
    return { earlier: this.byId, sameSubject: [...new Set(found)] };
  }

  /** Notes a message and where it went, for those after it. @returns the note, which may be put right */
  remember(messageId: string, message: FilingMessage, decision: Decision): EarlierMessage {
    const entry: EarlierMessage = {
      messageId,
      state: decision.state,
      fileIds: decision.state === 'logged' ? decision.fileIds : [],
      subjectKey: subjectKey(message.subject),
    };
    this.byId.set(messageId, entry);
    for (const key of this.keys(message))
      this.bySubject.set(key, [entry, ...(this.bySubject.get(key) ?? [])]);
    return entry;
  }

  private keys(message: FilingMessage): string[] {
    return subjectKeys(message, (address) => this.register.isOurs(address));
  }
}
