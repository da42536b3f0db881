import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Decision } from '../core/filing/types.ts';
import { Signals } from '../core/filing/signals.ts';
import { replay, toldAll, type CorpusRegister } from '../core/filing/replay.ts';
import { FILES } from '../core/filing/weights.ts';
import { weighFiles, type Feature, type Features } from '../core/filing/weighFiles.ts';
import { weighClients } from '../core/filing/weighClients.ts';
import { readMbox } from '../core/message/mbox.ts';

/**
 * Fits the weights with which a client's files are weighed against each other: `npm run filing:fit -- DIR…`.
 * A conditional logit over every message whose client is known, drawn towards the weights chosen by reason
 * (ridge), each corpus also judged with the weights found on the others alone.
 */
interface Choice {
  options: Features[];
  chosen: number;
}

const features = Object.keys(FILES) as Feature[];
const PULL = 1;

/** How often the first candidate was right, by how sure filing was of it. */
const SURE = [0, 0.5, 0.8, 0.9, 0.95, 0.98, 0.995, 1];
const sureness = SURE.slice(1).map(() => ({ count: 0, right: 0, sum: 0 }));

const corpora: { name: string; choices: Choice[] }[] = [];
for (const folder of process.argv.slice(2)) corpora.push({ name: folder, choices: await choicesOf(folder) });
if (!corpora.length) {
  console.error('usage: npm run filing:fit -- DIR [DIR …]');
  process.exit(2);
}
for (const held of corpora) {
  const others = corpora.filter((each) => each !== held);
  if (!others.length) continue;
  const weights = fit(others.flatMap((each) => each.choices));
  console.log(`${held.name}: ${describe(held.choices, weights)} with weights of the others`);
  console.log(`${held.name}: ${describe(held.choices, FILES)} with the weights in use`);
}
console.log(fit(corpora.flatMap((each) => each.choices)));
for (const [index, { count, right, sum }] of sureness.entries())
  if (count)
    console.log(
      `said ${SURE[index]} to ${SURE[index + 1]} (mean ${(sum / count).toFixed(3)}): right ${((100 * right) / count).toFixed(1)} % of ${count}`,
    );

async function choicesOf(folder: string): Promise<Choice[]> {
  const register = JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister;
  const truth = readFileSync(join(folder, 'truth.csv'), 'utf8')
    .split(/\r?\n/)
    .slice(1)
    .filter(Boolean)
    .map((line) => line.split(',')[2] ?? '');
  const ids = new Map(register.files.map((file, index) => [file.number, index + 1]));
  const choices: Choice[] = [];
  let index = 0;
  const messages = readMbox(readFileSync(join(folder, 'mail.mbox')));
  for await (const { knowledge, message, context, decision } of replay(
    register,
    messages,
    toldAll((at) => (truth[at] ?? '').split(';').filter(Boolean)),
    () => 0,
  )) {
    const files = (truth[index++] ?? '').split(';').filter(Boolean);
    judge(
      decision,
      files.map((number) => ids.get(number) ?? 0),
    );
    if (files.length !== 1 || message.automatic) continue;
    const signals = new Signals(knowledge.register, knowledge.experience, message, context);
    const fileId = ids.get(files[0] ?? '') ?? 0;
    const client = weighClients(signals).find(
      (each) => each.clientId === knowledge.register.file(fileId)?.clientId,
    );
    if (!client) continue;
    const views = weighFiles(signals, client);
    const chosen = views.findIndex((view) => view.file.id === fileId);
    if (views.length > 1 && chosen >= 0)
      choices.push({ options: views.map((view) => view.features), chosen });
  }
  return choices;
}

function judge(decision: Decision, truth: readonly number[]): void {
  const [first, probability] =
    decision.state === 'logged'
      ? [decision.fileIds[0], decision.probability]
      : decision.state === 'suggested'
        ? [decision.candidates[0]?.fileId, decision.candidates[0]?.probability]
        : [];
  if (first === undefined || probability === undefined) return;
  const bin =
    sureness[SURE.findIndex((_, at) => at + 1 === SURE.length - 1 || probability < (SURE[at + 1] ?? 1))];
  if (!bin) return;
  bin.count++;
  bin.sum += probability;
  if (truth.includes(first)) bin.right++;
}

/** Gradient ascent on the penalised log-likelihood. */
function fit(choices: readonly Choice[]): Record<Feature, number> {
  const start: Record<Feature, number> = { ...FILES };
  const weights = { ...start };
  const momentum = Object.fromEntries(features.map((each) => [each, 0])) as Record<Feature, number>;
  for (let round = 0; round < 600; round++) {
    const slope = Object.fromEntries(
      features.map((each) => [each, -PULL * (weights[each] - start[each])]),
    ) as Record<Feature, number>;
    for (const { options, chosen } of choices) {
      const shares = sharesOf(options, weights);
      for (const [index, option] of options.entries())
        for (const [each, value] of Object.entries(option) as [Feature, number][])
          slope[each] += ((index === chosen ? 1 : 0) - (shares[index] ?? 0)) * value;
    }
    for (const each of features) {
      momentum[each] = 0.9 * momentum[each] + slope[each];
      weights[each] += (0.5 / choices.length) * momentum[each] * 4;
    }
  }
  return Object.fromEntries(features.map((each) => [each, Math.round(weights[each] * 100) / 100])) as Record<
    Feature,
    number
  >;
}

function sharesOf(options: readonly Features[], weights: Record<Feature, number>): number[] {
  const scores = options.map((option) =>
    (Object.entries(option) as [Feature, number][]).reduce(
      (sum, [each, value]) => sum + weights[each] * value,
      0,
    ),
  );
  const highest = Math.max(...scores);
  const powers = scores.map((score) => Math.exp(score - highest));
  const total = powers.reduce((sum, power) => sum + power, 0);
  return powers.map((power) => power / total);
}

function describe(choices: readonly Choice[], weights: Record<Feature, number>): string {
  let right = 0;
  let sure = 0;
  let wronglySure = 0;
  let loss = 0;
  for (const { options, chosen } of choices) {
    const shares = sharesOf(options, weights);
    const best = shares.indexOf(Math.max(...shares));
    if (best === chosen) right++;
    if ((shares[best] ?? 0) >= 0.98) {
      sure++;
      if (best !== chosen) wronglySure++;
    }
    loss -= Math.log(Math.max(1e-9, shares[chosen] ?? 0));
  }
  const share = (count: number) => `${((100 * count) / choices.length).toFixed(1)} %`;
  return `${choices.length} choices, right ${share(right)}, at least 98 % sure ${share(sure)} of which wrong ${wronglySure}, loss ${(loss / choices.length).toFixed(4)}`;
}
