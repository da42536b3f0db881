import type { RegisteredFile } from './register.ts';
import { quoted, type Signals } from './signals.ts';
import type { Evidence, EvidenceKind } from './types.ts';
import { FILES as W } from './weights.ts';
import type { WeighedClient } from './weighClients.ts';
import { GENERAL_TOPIC, type KnownWord } from './experience.ts';
import { tellingWords } from './words.ts';

/** One file of a client, weighed against the client's others. */
export interface WeighedFile {
  file: RegisteredFile;
  /** From 0 to 1, within the client's files. */
  probability: number;
  evidence: Evidence[];
  features: Features;
}

/** What speaks for or against a file; each is multiplied by its weight. */
export type Feature = keyof typeof W;
export type Features = Partial<Record<Feature, number>>;

/**
 * Weighs the files of one client against each other (a conditional logit: the probability of a file is
 * its share of the exponentials of the weighted sums).
 */
export function weighFiles(signals: Signals, client: WeighedClient): WeighedFile[] {
  const files = candidates(signals, client.clientId);
  const facts = new Facts(signals, files, client);
  const views = files.map((file) => {
    const { features, evidence } = facts.of(file);
    let score = 0;
    for (const [feature, value] of Object.entries(features) as [Feature, number][])
      score += W[feature] * value;
    return { file, score, features, evidence };
  });
  const highest = Math.max(...views.map((view) => view.score));
  const total = views.reduce((sum, view) => sum + Math.exp(view.score - highest), 0);
  return views
    .map(({ file, score, features, evidence }) => ({
      file,
      probability: Math.exp(score - highest) / total,
      evidence,
      features,
    }))
    .sort((a, b) => b.probability - a.probability || b.file.number.localeCompare(a.file.number));
}

/** Open files; closed ones only where something points at them: a conversation, a number, an answer to mail we lack. */
function candidates(signals: Signals, clientId: number): readonly RegisteredFile[] {
  const { earlier, sameSubject, told, inSubject, inOwn, message, register } = signals;
  const pointed = new Set([
    ...(earlier?.fileIds ?? []),
    ...sameSubject.flatMap((each) => each.fileIds),
    ...told,
    ...inSubject,
    ...inOwn,
  ]);
  const answersUnknown = message.isReply && !earlier;
  const open = register
    .filesOf(clientId)
    .filter((file) => !file.closed || pointed.has(file.id) || answersUnknown);
  return open.length ? open : register.filesOf(clientId);
}

/** Notes a feature, and what it means in words. */
type Add = (feature: Feature, value: number, kind?: EvidenceKind, words?: string) => void;

/** What can be said of every file of a client alike, worked out once. */
class Facts {
  /** In how many of the files' titles a word stands. */
  private readonly inTitles = new Map<string, number>();
  private readonly specific: number;
  private readonly quotedWords: ReadonlySet<string>;
  private readonly namedIds: ReadonlySet<number>;
  private readonly sameSubjectIds: ReadonlySet<number>;
  private readonly habits: Map<number, number>;
  private readonly known: readonly KnownWord[];
  private readonly affinities: Map<number, { sum: number; words: string[] }>;
  private readonly enclosureWords: ReadonlySet<string>;
  private readonly anyTitle: boolean;
  /** A number, the conversation or a lost thread points to one of the files. */
  private readonly pointed: boolean;
  /** It answers a mailing under its subject, and names no file of its own. */
  private readonly answersMailing: boolean;

  constructor(
    private readonly signals: Signals,
    private readonly files: readonly RegisteredFile[],
    private readonly client: WeighedClient,
  ) {
    for (const file of files)
      for (const word of file.titleWords) this.inTitles.set(word, (this.inTitles.get(word) ?? 0) + 1);
    this.specific = files.filter((file) => !file.general && !file.closed).length;
    const { message, earlier } = signals;
    this.quotedWords = message.isReply && !earlier ? tellingWords(message.quoted) : new Set();
    this.namedIds = new Set(client.namedFiles.map((file) => file.id));
    const latest = signals.sameSubject.find((each) => each.state === 'logged');
    this.sameSubjectIds = new Set(latest?.fileIds ?? []);
    this.habits = this.recent();
    this.known = signals.experience.known(signals.words.keys(), message.at);
    this.affinities = new Map(files.map((file) => [file.id, this.affinity(file)]));
    this.enclosureWords = tellingWords(message.enclosureNames.join(' '));
    const said = new Set([
      ...signals.inSubject,
      ...signals.inOwn,
      ...(signals.subjectChanged ? [] : (earlier?.fileIds ?? [])),
      ...(signals.marked ? this.sameSubjectIds : []),
      ...signals.told,
    ]);
    this.pointed = files.some((file) => said.has(file.id));
    const numbered = signals.inSubject.length + signals.inOwn.length > 0;
    this.answersMailing = Boolean(earlier?.mailed) && !signals.subjectChanged && !numbered;
    this.anyTitle = files.some((file) => file.titleWords.some((word) => signals.words.has(word)));
  }

  /** The features of each file of a client, for one message. */
  of(file: RegisteredFile): { features: Features; evidence: Evidence[] } {
    const { signals } = this;
    const features: Features = {};
    const evidence: Evidence[] = [];
    const add: Add = (feature, value, kind, words) => {
      if (!value) return;
      features[feature] = value;
      const weight = W[feature] * value;
      if (kind && words && Math.abs(weight) >= 0.1)
        evidence.push({ kind, side: weight > 0 ? 'for' : 'against', words, weight: Math.abs(weight) });
    };
    if (signals.told.includes(file.id))
      add('conversation', 1, 'conversation', 'Others of its conversation are certainly about this file');
    else if (signals.earlier?.fileIds.includes(file.id)) {
      if (signals.subjectChanged) {
        add(
          'conversationTurned',
          1,
          'conversation',
          'Goes on a conversation on this file, under another subject',
        );
      } else add('conversation', 1, 'conversation', 'Goes on a conversation on this file');
    } else if (this.sameSubjectIds.has(file.id)) {
      add(
        signals.marked ? 'lostThread' : 'sameSubject',
        1,
        'subject',
        'Same subject and correspondent as an earlier message here',
      );
    }
    if (this.answersMailing && signals.earlier?.fileIds.includes(file.id))
      add('answersMailing', 1, 'conversation', 'Answers a mailing that went out on this file');
    if (signals.inSubject.includes(file.id))
      add('numberInSubject', 1, 'number', `${file.number} stands in the subject`);
    if (signals.inOwn.includes(file.id))
      add('numberInText', 1, 'number', `${file.number} stands in what was written`);
    this.titles(file, add);
    const { sum, words } = this.affinities.get(file.id) ?? { sum: 0, words: [] };
    add('affinity', sum, 'words', this.wordEvidence(file, sum, words));
    const third = this.client.thirdParty;
    // Named on all of them tells nothing.
    if (this.namedIds.size && this.files.some(({ id }) => !this.namedIds.has(id))) {
      if (this.namedIds.has(file.id))
        add(third ? 'namedThird' : 'named', 1, 'named', 'A correspondent is named on this file');
      else if (third) add('notNamedThird', 1, 'named', 'The correspondent is named on another file');
    }
    add(
      'habit',
      this.habits.get(file.id) ?? 0,
      'habit',
      'The last mail with this correspondent was put here',
    );
    if (file.closed) add('closed', 1, 'closed', 'This file is closed');
    // What is usual when nothing is said counts only when nothing is said.
    else if (!this.pointed) this.usual(file, add);
    if (!file.general && this.specific > 1)
      evidence.push({
        kind: 'other-files',
        side: 'against',
        words: otherFiles(this.specific - 1),
        weight: Math.log(this.specific),
      });
    return { features, evidence };
  }

  /** Where mail of a client goes when nothing in it points to a file: the only open one, else General. */
  private usual(file: RegisteredFile, add: Add): void {
    if (!file.general) {
      if (this.specific === 1) add('onlyFile', 1, 'only-file', 'The client’s only open file');
    } else if (this.specific === 0) add('generalAlone', 1, 'general', 'The client has no other open file');
    else if (this.specific === 1) add('generalBesideOne', 1);
    else {
      const feature = this.anyTitle ? 'generalBesideTitle' : 'generalBesideSeveral';
      add(feature, 1, 'general', 'Used when nothing more particular fits');
    }
  }

  /** Words of the file's title in the subject, in the text, in the names of enclosures, and in what is quoted. */
  private titles(file: RegisteredFile, add: Add): void {
    const { subjectWords, words, earlier, subjectChanged } = this.signals;
    // Words that all files of the client share say which client, not which file.
    const telling = file.titleWords.filter(
      (word) => (this.inTitles.get(word) ?? 1) < Math.max(2, this.files.length),
    );
    const share = (word: string) => 1 / (this.inTitles.get(word) ?? 1);
    // A conversation's own subject was there when it was filed: it cannot turn the conversation elsewhere.
    const subjectTells = !earlier?.fileIds.length || subjectChanged;
    const inSubject = subjectTells ? telling.filter((word) => subjectWords.has(word)) : [];
    const inText = telling.filter((word) => words.has(word) && !subjectWords.has(word));
    const sum = (list: readonly string[]) =>
      Math.min(
        3,
        list.reduce((total, word) => total + share(word), 0),
      );
    add('titleInSubject', sum(inSubject), 'title', `${quoted(this.signals, inSubject)} in subject and title`);
    add('titleInText', sum(inText), 'title', `${quoted(this.signals, inText)} in text and title`);
    const inQuoted = telling.filter((word) => this.quotedWords.has(word) && !words.has(word));
    add(
      'titleInQuoted',
      sum(inQuoted),
      'title',
      `${quoted(this.signals, inQuoted, file.title)} in quoted text and title`,
    );
    const inNames = telling.filter((word) => this.enclosureWords.has(word));
    add(
      'titleInEnclosure',
      sum(inNames),
      'title',
      `${quoted(this.signals, inNames, file.title)} in an enclosure’s name and title`,
    );
  }

  /** How the words used so far on this file, and on files of its kind, fit: against the mean of the client's files. */
  private affinity(file: RegisteredFile): { sum: number; words: string[] } {
    const { experience, words, message } = this.signals;
    const values = experience.affinities(this.known, file.id, topicsOf(file), message.at);
    let sum = 0;
    const scored: { word: string; value: number }[] = [];
    for (const [index, { word }] of this.known.entries()) {
      const value = Math.max(-1.5, Math.min(2.5, values[index] ?? 0));
      sum += value;
      if (value > 0.5) scored.push({ word, value });
    }
    scored.sort((a, b) => b.value - a.value);
    return { sum: sum / Math.sqrt(words.size + 4), words: scored.slice(0, 3).map(({ word }) => word) };
  }

  private wordEvidence(file: RegisteredFile, sum: number, words: readonly string[]): string {
    if (sum < 0) return 'The words are rather those of other files';
    const { experience, message } = this.signals;
    const [first] = words;
    const uses = first ? Math.round(experience.uses(file.id, first, message.at)) : 0;
    if (first && uses > 0)
      return `${quoted(this.signals, [first])} was used in ${uses === 1 ? 'an earlier message' : `${uses} earlier messages`} here`;
    return words.length
      ? `${quoted(this.signals, words)} fit files of this kind`
      : 'The words fit files of this kind';
  }

  /** The share of each file in the correspondents' latest confirmed mail, newer mail counting more. */
  private recent(): Map<number, number> {
    const { outsiders, experience, message } = this.signals;
    const shares = new Map<number, number>();
    for (const { key } of outsiders) {
      let count = 0;
      for (const { fileId, at } of experience.habits(key)) {
        if (!fileId || at > message.at) continue;
        shares.set(fileId, (shares.get(fileId) ?? 0) + 0.5 ** count);
        if (++count === LATEST) break;
      }
    }
    for (const [id, sum] of shares) shares.set(id, Math.min(1, sum / 2));
    return shares;
  }
}

/** So many of a correspondent's last messages show what they write about. */
const LATEST = 5;

/** Under which words a file's mail is pooled with that of other files of its kind. */
export function topicsOf(file: RegisteredFile): readonly string[] {
  return file.general ? [GENERAL_TOPIC] : file.titleWords;
}

function otherFiles(count: number): string {
  return `The client has ${count} other open ${count === 1 ? 'file' : 'files'}`;
}
