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
}

/** All General files share what is learned of general business. */
export const GENERAL_TOPIC = '(general)';

/** Counts lose half their weight in this time. A power of two, so that weights stay exact whole numbers. */
const HALF_LIFE = 182 * 24 * 3600 * 1000;
const START = Date.UTC(2020, 0, 1);

/** One file's mail, or that of all files with a word in their title. */
interface Counts {
  total: number;
  words: Map<string, number>;
}

export interface Habit {
  at: number;
  /** 0 when it was not client mail. */
  fileId: number;
}

/** Everything learned from confirmed decisions. Weights are kept as at `START` and grow with time instead of shrinking. */
export class Experience {
  private readonly all: Counts = { total: 0, words: new Map() };
  private readonly byTopic = new Map<string, Counts>();
  private readonly byFile = new Map<number, Counts>();
  private readonly byPerson = new Map<string, Habit[]>();
  private readonly strangers = new Map<string, { client: number; aside: number }>();
  lessons = 0;

  learn(lesson: Lesson): void {
    this.count(lesson, 1);
  }

  /** Takes a lesson back: as if it had never been. */
  unlearn(lesson: Lesson): void {
    this.count(lesson, -1);
  }

  private count(lesson: Lesson, sign: 1 | -1): void {
    this.lessons += sign;
    const weight = sign * 2 ** Math.max(0, Math.floor((lesson.at - START) / HALF_LIFE));
    if (lesson.files.length) {
      add(this.all, lesson.words, weight);
      for (const { id, topics } of lesson.files) {
        addTo(this.byFile, id, lesson.words, weight);
        for (const topic of topics) addTo(this.byTopic, topic, lesson.words, weight);
      }
    }
    for (const person of lesson.people) {
      const habits = this.byPerson.get(person) ?? [];
      for (const fileId of lesson.files.length ? lesson.files.map((file) => file.id) : [0])
        keepHabit(habits, { at: lesson.at, fileId }, sign);
      if (habits.length) this.byPerson.set(person, habits);
      else this.byPerson.delete(person);
    }
    if (lesson.stranger) {
      const seen = this.strangers.get(lesson.stranger) ?? { client: 0, aside: 0 };
      seen[lesson.files.length ? 'client' : 'aside'] += sign;
      this.strangers.set(lesson.stranger, seen);
    }
  }

  /** Where the mail with this person was put, latest first. */
  habits(person: string): readonly Habit[] {
    return this.byPerson.get(person) ?? [];
  }

  /** How often strangers of this kind turned out to write about a client's business, and how often not. */
  strangersOf(kind: string): { client: number; aside: number } {
    return this.strangers.get(kind) ?? { client: 0, aside: 0 };
  }

  /** How many earlier messages on a file hold the word (aged). */
  uses(fileId: number, word: string, now: number): number {
    return (this.byFile.get(fileId)?.words.get(word) ?? 0) / aged(now);
  }

  /** Of these words those of which something is known, each with its share in all mail: asked once a message. */
  known(words: Iterable<string>, now: number): KnownWord[] {
    const scale = aged(now);
    const total = this.all.total / scale;
    const known: KnownWord[] = [];
    if (total < 4) return known;
    for (const word of words) {
      const everywhere = (this.all.words.get(word) ?? 0) / scale;
      if (everywhere >= 0.4) known.push({ word, share: everywhere / total });
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
    for (const { word, share } of known) {
      let best = own ? lift(own, word, share, scale, 0.5) : 0;
      for (const counts of pooled) {
        const each = lift(counts, word, share, scale, 1);
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
  share: number;
}

/** The logarithm of how much oftener the word stands there than its share everywhere would have it. */
function lift(counts: Counts, word: string, share: number, scale: number, prior: number): number {
  const there = (counts.words.get(word) ?? 0) / scale;
  const expected = (counts.total / scale) * share;
  return Math.log((there + prior) / (expected + prior));
}

function aged(now: number): number {
  return 2 ** Math.max(0, Math.floor((now - START) / HALF_LIFE));
}

function add(counts: Counts, words: readonly string[], weight: number): void {
  counts.total += weight;
  for (const word of words) {
    const sum = (counts.words.get(word) ?? 0) + weight;
    if (sum) counts.words.set(word, sum);
    else counts.words.delete(word);
  }
}

function addTo<K>(map: Map<K, Counts>, key: K, words: readonly string[], weight: number): void {
  const counts = map.get(key) ?? { total: 0, words: new Map<string, number>() };
  add(counts, words, weight);
  if (counts.total) map.set(key, counts);
  else map.delete(key);
}

/** Keeps the list latest first, whatever order lessons come in. */
function keepHabit(habits: Habit[], habit: Habit, sign: 1 | -1): void {
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
