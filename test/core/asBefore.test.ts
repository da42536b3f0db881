import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { makeWorld } from '../../demo/load.ts';
import { FIRM, STAFF, type DemoRegister } from '../../demo/register.ts';
import { replay, type CorpusRegister, type ReplayStep } from '../../core/filing/replay.ts';
import { snippet } from '../../core/message/written.ts';
import { Account } from '../../outside/store.ts';

/**
 * What filing made of a whole firm's mail when its weights were last changed: a change that is meant to change nothing
 * must change nothing here. After one that is meant to, look at the difference that `AS_BEFORE=write npx mocha
 * --import=tsx test/core/asBefore.test.ts` makes.
 */
const KEPT = join(import.meta.dirname, 'asBefore.txt');

/** The demo firm's records as a corpus has them. */
function asCorpus({ clients, thirdParties }: DemoRegister): CorpusRegister {
  const people = [
    ...clients.flatMap(({ id, people: own }) => own.map((person) => ({ person, clientIds: [id] }))),
    ...thirdParties,
  ];
  return {
    firm: {
      domains: FIRM.domains,
      staff: STAFF.map(({ email }) => ({ addresses: [email] })),
      freemail: FIRM.freemail,
      fileNumberPattern: FIRM.fileNumberPattern,
    },
    clients: clients.map(({ id, name }) => ({ id: String(id), name })),
    contacts: people.map(({ person, clientIds }) => ({
      id: String(person.id),
      name: `${person.firstName} ${person.lastName}`,
      addresses: person.addresses.map(({ email }) => email),
      links: clientIds.map((id) => ({ clientId: String(id) })),
    })),
    files: clients.flatMap(({ id, files, people: own }) =>
      files.map(({ number, title, closed }) => ({
        number,
        title,
        clientId: String(id),
        closed,
        contactIds: own.map((person) => String(person.id)),
      })),
    ),
  };
}

const figure = (value: number) => value.toPrecision(6);

/** A line for each message: where it went, and a digest of everything that was read and weighed. */
function line({ decision, message, outcome, files, candidates }: ReplayStep): string {
  const weighed = decision.state === 'suggested' ? decision.candidates : [];
  const everything = [
    decision.state === 'logged' ? figure(decision.probability) : '',
    decision.evidence.map(({ kind, side, words, weight }) => [kind, side, words, figure(weight)]),
    weighed.map(({ probability, likelihood, evidence }) => [
      figure(probability),
      likelihood,
      evidence.map(({ kind, weight }) => [kind, figure(weight)]),
    ]),
    [message.own, message.signature, message.footer, message.quoted, message.named, message.automatic],
    snippet(message.own),
  ];
  const digest = createHash('sha256').update(JSON.stringify(everything)).digest('hex').slice(0, 12);
  return [digest, outcome, files.join('+') || candidates.join('>') || '-', message.subject].join(' ');
}

describe('filing decides as before', () => {
  it('on every message of a firm’s mail', async () => {
    const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-as-before-'));
    const now = new Date('2026-11-24T08:00:00Z');
    const register = await makeWorld(dir, {
      seed: 'as before',
      now,
      clients: 60,
      files: 110,
      conversationsPerClient: 3,
    });
    const mail = new Map<string, { raw: Buffer; at: Date }>();
    for (const { email } of STAFF)
      for (const folder of new Account(email, '', join(dir, 'accounts', email)).all())
        for (const entry of folder.messages) {
          const raw = folder.read(entry);
          mail.set(createHash('sha256').update(raw).digest('hex'), { raw, at: entry.internalDate });
        }
    rmSync(dir, { recursive: true, force: true });
    const inOrder = [...mail].sort(
      ([a, one], [b, two]) => Number(one.at) - Number(two.at) || (a < b ? -1 : 1),
    );
    const lines: string[] = [];
    // What it settles by itself is taken for right, and of what it suggests the first.
    let told: string[] = [];
    const steps = replay(
      asCorpus(register),
      inOrder.map(([, { raw }]) => raw),
      (_, index) => [{ index, files: told }],
      () => 0,
    );
    for await (const step of steps) {
      told = step.outcome === 'auto' ? step.files : step.candidates.slice(0, 1);
      lines.push(line(step));
    }
    if (process.env.AS_BEFORE === 'write') writeFileSync(KEPT, `${lines.join('\n')}\n`);
    expect(lines.length).to.be.greaterThan(300);
    expect(lines).to.deep.equal(readFileSync(KEPT, 'utf8').trimEnd().split('\n'));
  });
});
