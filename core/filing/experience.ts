/**
 * What a person's confirmed decision teaches: counts only, so that lessons may come in any order and can
 * be taken back, and the model rebuilt from all of them is the same to the last bit.
 */
export interface Lesson {
  /** When the message was written, in milliseconds. */
  at: number;
  /** The telling words of subject and own words. */
  words: readonly string[];
  /** The outside people, as address keys. */
  people: readonly string[];
  /** Where the person says it belongs; none: not client mail. */
  files: readonly { id: number; topics: readonly string[] }[];
  /** What kind of unknown correspondent this was, if it was one (see `strangerKind`). */
  stranger: string | null;
  /** Nobody said so: it is certain by the message itself (see `certainPlace`). Teaches words alone, and is worth less. */
  evident?: true;
}

/** What a lesson by evidence is worth beside a person's: of whole quarters, so that sums stay exact. */
const EVIDENT = 0.75;

/** All General files share what is learned of general business. */
export const GENERAL_TOPIC = '(general)';

/** Counts lose half their weight in this time. A power of two, so that weights stay exact whole numbers. */
const HALF_LIFE = 182 * 24 * 3600 * 1000;
const START = Date.UTC(2020, 0, 1);

/** How often words stand in one file's mail, or in that of all files with a word in their title. */
interface Counts {
  total: number;
  words: Map<number, number>;
}

/** The same for one file, in two short lists side by side: there are very many files, each with few words. */
interface FileCounts {
  total: number;
  words: number[];
  counts: number[];
}

export interface Habit {
  at: number;
  /** 0 when it was not client mail. */
  fileId: number;
}

/** Everything learned from confirmed decisions. Weights are kept as at `START` and grow with time instead of shrinking. */
export class Experience {
  /** Words by number, so that they are kept once. */
  private readonly numbers = new Map<string, number>();
  private readonly all: Counts = { total: 0, words: new Map() };
  private readonly byTopic = new Map<string, Counts>();
  private readonly byFile = new Map<number, FileCounts>();
  private readonly byPerson = new Map<string, Habit[]>();
  private readonly strangers = new Map<string, { client: number; aside: number }>();
  lessons = 0;

  /** Counts a person's decision. */
  learn(lesson: Lesson): void {
    this.count(lesson, 1);
  }

  /** Takes a lesson back: as if it had never been. */
  unlearn(lesson: Lesson): void {
    this.count(lesson, -1);
  }

  private count(lesson: Lesson, sign: 1 | -1): void {
    this.lessons += sign;
    const weight =
      sign * (lesson.evident ? EVIDENT : 1) * 2 ** Math.max(0, Math.floor((lesson.at - START) / HALF_LIFE));
    if (lesson.files.length) {
      const words = lesson.words.map((word) => this.numberOf(word));
      add(this.all, words, weight);
      for (const { id, topics } of lesson.files) {
        this.addToFile(id, words, weight);
        for (const topic of topics) this.addToTopic(topic, words, weight);
      }
    }
    if (lesson.evident) return;
    for (const person of lesson.people) {
      const habits = this.byPerson.get(person) ?? [];
      for (const fileId of lesson.files.length ? lesson.files.map((file) => file.id) : [0])
        countHabit(habits, { at: lesson.at, fileId }, sign);
      if (habits.length) this.byPerson.set(person, habits);
      else this.byPerson.delete(person);
    }
    if (lesson.stranger) {
      const seen = this.strangers.get(lesson.stranger) ?? { client: 0, aside: 0 };
      seen[lesson.files.length ? 'client' : 'aside'] += sign;
      this.strangers.set(lesson.stranger, seen);
    }
  }

  private numberOf(word: string): number {
    let number = this.numbers.get(word);
    if (number === undefined) this.numbers.set(word, (number = this.numbers.size));
    return number;
  }

  private addToTopic(topic: string, words: readonly number[], weight: number): void {
    const counts = this.byTopic.get(topic) ?? { total: 0, words: new Map<number, number>() };
    add(counts, words, weight);
    if (counts.total) this.byTopic.set(topic, counts);
    else this.byTopic.delete(topic);
  }

  private addToFile(id: number, words: readonly number[], weight: number): void {
    const file = this.byFile.get(id) ?? { total: 0, words: [], counts: [] };
    file.total += weight;
    for (const word of words) {
      const at = file.words.indexOf(word);
      const sum = (file.counts[at] ?? 0) + weight;
      if (at < 0) {
        file.words.push(word);
        file.counts.push(sum);
      } else if (sum) file.counts[at] = sum;
      else {
        file.words.splice(at, 1);
        file.counts.splice(at, 1);
      }
    }
    if (file.total) this.byFile.set(id, file);
    else this.byFile.delete(id);
  }

  /** Where the mail with this person was put, latest first. */
  habits(person: string): readonly Habit[] {
    return this.byPerson.get(person) ?? [];
  }

  /** Whether anything was ever said of strangers. */
  get knowsStrangers(): boolean {
    return this.strangers.size > 0;
  }

  /** How often strangers of this kind turned out to write about a client's business, and how often not. */
  strangersOf(kind: string): { client: number; aside: number } {
    return this.strangers.get(kind) ?? { client: 0, aside: 0 };
  }

  /** How many earlier messages on a file hold the word (aged). */
  uses(fileId: number, word: string, now: number): number {
    const file = this.byFile.get(fileId);
    const number = this.numbers.get(word);
    return file && number !== undefined ? countIn(file, number) / aged(now) : 0;
  }

  /** Of these words those of which something is known, each with its share in all mail: asked once a message. */
  known(words: Iterable<string>, now: number): KnownWord[] {
    const scale = aged(now);
    const total = this.all.total / scale;
    const known: KnownWord[] = [];
    if (total < 4) return known;
    for (const word of words) {
      const number = this.numbers.get(word);
      if (number === undefined) continue;
      const everywhere = (this.all.words.get(number) ?? 0) / scale;
      if (everywhere >= 0.4) known.push({ word, number, share: everywhere / total });
    }
    return known;
  }

  /**
   * How strongly each word belongs to a file: the logarithm of how much oftener it stands in mail on this
   * file, or on files with the same words in their titles, than chance would have it; drawn towards 0 where
   * little is known. Positive speaks for the file. In the order of the words.
   */
  affinities(known: readonly KnownWord[], fileId: number, topics: readonly string[], now: number): number[] {
    const scale = aged(now);
    const own = this.byFile.get(fileId);
    const pooled: Counts[] = [];
    for (const topic of topics) {
      const counts = this.byTopic.get(topic);
      if (counts) pooled.push(counts);
    }
    const values: number[] = [];
    for (const { number, share } of known) {
      let best = own ? lift(countIn(own, number), own.total, share, scale, 0.5) : 0;
      for (const counts of pooled) {
        const each = lift(counts.words.get(number) ?? 0, counts.total, share, scale, 1);
        if (Math.abs(each) > Math.abs(best)) best = each;
      }
      values.push(best);
    }
    return values;
  }
}

/** A word of which something is known, and the share of all mail that holds it. */
export interface KnownWord {
  word: string;
  number: number;
  share: number;
}

/** The logarithm of how much oftener a word stands there than its share everywhere would have it. */
function lift(count: number, total: number, share: number, scale: number, prior: number): number {
  return Math.log((count / scale + prior) / ((total / scale) * share + prior));
}

function countIn(file: FileCounts, word: number): number {
  return file.counts[file.words.indexOf(word)] ?? 0;
}

function aged(now: number): number {
  return 2 ** Math.max(0, Math.floor((now - START) / HALF_LIFE));
}

function add(counts: Counts, words: readonly number[], weight: number): void {
  counts.total += weight;
  for (const word of words) {
    const sum = (counts.words.get(word) ?? 0) + weight;
    if (sum) counts.words.set(word, sum);
    else counts.words.delete(word);
  }
}

/** Keeps the list latest first, whatever order lessons come in. */
function countHabit(habits: Habit[], habit: Habit, sign: 1 | -1): void {
  if (sign < 0) {
    const index = habits.findIndex((each) => each.at === habit.at && each.fileId === habit.fileId);
    if (index >= 0) habits.splice(index, 1);
    return;
  }
  const index = habits.findIndex(
    (each) => each.at < habit.at || (each.at === habit.at && each.fileId > habit.fileId),
  );
  habits.splice(index < 0 ? habits.length : index, 0, habit);
}
