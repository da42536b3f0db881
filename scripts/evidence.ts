import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { evidentLesson, type FilingKnowledge } from '../core/filing/decide.ts';
import { Experience } from '../core/filing/experience.ts';
import { filingMessage, subjectKeys } from '../core/filing/message.ts';
import { corpusRegister, type CorpusRegister } from '../core/filing/replay.ts';
import { Past, type PastMessage } from '../core/filing/settle.ts';
import { readMbox } from '../core/message/mbox.ts';
import { readMessage } from '../core/message/read.ts';
import { readTruth } from './decisions.ts';

/**
 * Whether learning from evidence deceives itself: `npm run --silent filing:evidence -- DIR`. A corpus is settled as a
 * whole with and without it, as it is and with a share of its messages' file numbers mistyped: half of them to another
 * file of the same client, half to any.
 */
const folder = process.argv[2];
if (!folder) {
  console.error('usage: npm run --silent filing:evidence -- DIR');
  process.exit(2);
}
const corpus = JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister;
const { register, numberOf } = corpusRegister(corpus);
const truth = readTruth(folder);
const sources = [...readMbox(readFileSync(join(folder, 'mail.mbox')))];

for (const mistyped of [0, 0.02, 0.1]) {
  const { past, right } = await corpusPast(mistyped);
  for (const learns of [false, true]) {
    const experience = new Experience();
    const knowledge: FilingKnowledge = { register, experience, rules: [] };
    const evident = learns ? new Past(knowledge, past).evident() : new Map<string, number>();
    const messages = new Map(past.map(({ key, message }) => [key, message]));
    let falseLessons = 0;
    for (const [key, fileId] of evident) {
      const message = messages.get(key);
      if (message) experience.learn(evidentLesson(register, message, fileId));
      if (numberOf(fileId) !== right.get(key)) falseLessons++;
    }
    let filed = 0;
    let wrong = 0;
    for (const [key, decision] of new Past(knowledge, past).settle()) {
      if (decision.state !== 'logged') continue;
      filed++;
      if (decision.fileIds.map(numberOf).sort().join(';') !== right.get(key)) wrong++;
    }
    console.log(
      `result evidence mistyped=${mistyped} learns=${learns} lessons=${evident.size} false=${falseLessons} filed=${filed} wrong=${wrong} of=${past.length}`,
    );
  }
}

/** The messages of the corpus, each once, and their true files. */
async function corpusPast(mistyped: number): Promise<{ past: PastMessage[]; right: Map<string, string> }> {
  let state = 7;
  const chance = () => (state = (state * 48271) % 0x7fffffff) / 0x7fffffff;
  const pattern = new RegExp(corpus.firm.fileNumberPattern, 'g');
  const clientOf = new Map(corpus.files.map((file) => [file.number, file.clientId]));
  const numbers = [...clientOf.keys()];
  const other = (number: string) => {
    const same = numbers.filter((each) => each !== number && clientOf.get(each) === clientOf.get(number));
    const from = chance() < 0.5 && same.length ? same : numbers;
    return from[Math.floor(chance() * from.length)] ?? number;
  };
  const past = new Map<string, PastMessage>();
  const right = new Map<string, string>();
  for (const [index, raw] of sources.entries()) {
    const read = await readMessage(raw);
    if (`${read.subject} ${read.text}`.match(pattern) && chance() < mistyped) {
      read.subject = read.subject.replace(pattern, other);
      read.text = read.text.replace(pattern, other);
    }
    const key = read.messageId ?? `#${index}`;
    if (past.has(key)) continue;
    const message = { ...filingMessage(register, read), past: true };
    right.set(key, [...(truth[index] ?? [])].sort().join(';'));
    past.set(key, {
      key,
      messageId: read.messageId,
      message,
      ours: register.isOurs(message.from?.address ?? ''),
      subjectKeys: subjectKeys(message, (address) => register.isOurs(address)),
      held: null,
    });
  }
  return { past: [...past.values()], right };
}
