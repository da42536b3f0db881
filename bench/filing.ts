import PostalMime from 'postal-mime';
import { decide, lessonOf, type FilingKnowledge } from '../core/filing/decide.ts';
import { Experience } from '../core/filing/experience.ts';
import { filingMessage } from '../core/filing/message.ts';
import { FilingRegister, type FileData } from '../core/filing/register.ts';
import type { FilingContext, FilingMessage } from '../core/filing/types.ts';
import { readMessage } from '../core/message/read.ts';
import { pick, seeded } from '../outside/random.ts';
import { quantile, result, row } from './ground.ts';
import { bigFirm, CLIENTS, FILES, PEOPLE, word, type Firm } from './bigFirm.ts';

const LESSONS = 200_000;
const MESSAGES = 5_000;
const VOCABULARY = 30_000;

/** How long one decision takes in a large firm, beside merely parsing the same message; and what the model weighs. */
export async function benchFiling(messages = MESSAGES): Promise<void> {
  const random = seeded('filing');
  const empty = heap();
  console.log(
    `Building ${CLIENTS.toLocaleString('en-GB')} clients, ${PEOPLE.toLocaleString('en-GB')} people, ${FILES.toLocaleString('en-GB')} files …`,
  );
  const started = performance.now();
  const data = bigFirm(random);
  const register = new FilingRegister(data);
  const built = performance.now();
  const withRegister = heap();
  const experience = new Experience();
  const knowledge: FilingKnowledge = { register, experience, rules: [] };
  for (let index = 0; index < LESSONS; index++) {
    const file = pick(random, data.files);
    experience.learn(lessonOf(register, invented(random, data, file), [file.id]));
  }
  const learned = performance.now();
  const withExperience = heap();

  const raws = Array.from({ length: messages }, () =>
    source(invented(random, data, pick(random, data.files))),
  );
  const context: FilingContext = { earlier: new Map(), sameSubject: [] };
  const limit: number[] = [];
  const reading: number[] = [];
  const deciding: number[] = [];
  let filed = 0;
  for (const raw of raws) {
    const at = performance.now();
    await PostalMime.parse(raw, { forceRfc822Attachments: true });
    const parsed = performance.now();
    const message = filingMessage(register, await readMessage(raw));
    const read = performance.now();
    if (decide(knowledge, message, context).state === 'logged') filed++;
    const decided = performance.now();
    limit.push(parsed - at);
    reading.push(read - parsed);
    deciding.push(decided - read);
  }
  console.log(`register built in ${((built - started) / 1000).toFixed(1)} s, ${mb(withRegister - empty)} MB`);
  console.log(
    `${LESSONS.toLocaleString('en-GB')} lessons learned in ${((learned - built) / 1000).toFixed(1)} s, ${mb(withExperience - withRegister)} MB`,
  );
  row('limit: PostalMime merely parses the message', limit);
  row('ours: parsed and taken apart for filing', reading);
  row('ours: decided', deciding);
  console.log(
    `deciding takes ${(quantile(deciding, 0.5) / quantile(limit, 0.5)).toFixed(2)} of the time of parsing (medians); filed alone ${filed} of ${messages}`,
  );
  result('filing', {
    limit: quantile(limit, 0.5),
    read: quantile(reading, 0.5),
    decided: quantile(deciding, 0.5),
    slowest: quantile(deciding, 0.99),
    ratio: quantile(deciding, 0.5) / quantile(limit, 0.5),
  });
}

function invented(random: () => number, data: Firm, file: FileData): FilingMessage {
  const personId = file.personIds[Math.floor(random() * file.personIds.length)];
  const person = personId === undefined ? undefined : data.people[personId - 1];
  const words = Array.from({ length: 40 }, () => word(Math.floor(VOCABULARY * random() ** 3)));
  return {
    from: { name: person?.name ?? 'Nobody', address: person?.addresses[0] ?? 'nobody@nowhere.example' },
    recipients: [{ name: '', address: 'adviser@firm.example' }],
    subject:
      random() < 0.1
        ? `Our ref ${file.number}`
        : `${word(Math.floor(random() * 900))} ${file.title.split(/\W/)[0]}`,
    own: words.map((each, index) => each + (index % 12 === 11 ? '.\n' : '')).join(' '),
    signature: person?.name ?? '',
    footer: '',
    quoted: '',
    enclosureNames: [],
    named: [],
    automatic: null,
    list: '',
    returned: null,
    undelivered: [],
    original: null,
    isReply: false,
    at: Date.UTC(2026, 0, 1) + Math.floor(random() * 300) * 86_400_000,
  };
}

function source(message: FilingMessage): Uint8Array {
  return Buffer.from(
    [
      `From: "${message.from?.name}" <${message.from?.address}>`,
      'To: adviser@firm.example',
      `Subject: ${message.subject}`,
      `Date: ${new Date(message.at).toUTCString()}`,
      'MIME-Version: 1.0',
      'Content-Type: text/plain; charset=utf-8',
      '',
      message.own,
      '',
      'Kind regards,',
      message.signature,
      '',
    ].join('\r\n'),
  );
}

function heap(): number {
  globalThis.gc?.();
  return process.memoryUsage().heapUsed;
}

function mb(bytes: number): string {
  return Math.round(bytes / 1_000_000).toLocaleString('en-GB');
}
