import { expect } from 'chai';
import { effectScope, nextTick } from 'vue';
import type { DraftView } from '../../contract/index.ts';
import { useDraft } from '../../web/writing/draft.ts';

const body = (text: string) => ({
  type: 'doc' as const,
  content: [{ type: 'paragraph', content: [{ type: 'text', text }] }],
});

/** A server that is played: it keeps one draft, and notes what is asked of it. */
function play(change: Partial<DraftView> = {}) {
  const draft: DraftView = {
    id: 1,
    version: 1,
    state: 'draft',
    how: 'new',
    mailboxId: 1,
    people: { to: [], cc: [], bcc: [] },
    subject: '',
    body: body('as begun'),
    plain: false,
    quoted: '',
    files: [],
    fittingFiles: [],
    enclosures: [],
    signature: '',
    savedAt: '2026-11-24T08:41:00.000Z',
    sendAt: null,
    problem: null,
    about: null,
    order: null,
    ...change,
  };
  const played = { draft, saves: [] as DraftView[], refuse: 0, sent: 0 };
  globalThis.fetch = (async (url: string, init: RequestInit = {}) => {
    const answer = (value: unknown, status = 200) => new Response(JSON.stringify(value), { status });
    if (played.refuse) return answer({ message: 'Not now.', field: null }, played.refuse);
    if (init.method === 'GET') return answer(played.draft);
    if (init.method === 'PUT') {
      const save = JSON.parse(String(init.body)) as DraftView;
      played.saves.push(save);
      played.draft = { ...played.draft, ...save, version: save.version + 1 };
      return answer({ version: save.version + 1, savedAt: draft.savedAt, fittingFiles: [] });
    }
    if (String(url).endsWith('/send')) {
      played.sent++;
      return answer({ leavesAt: draft.savedAt, words: 'Sent' });
    }
    return new Response(null, { status: 204 });
  }) as typeof fetch;
  return played;
}

describe('the writing desk', () => {
  const real = globalThis.fetch;
  after(() => (globalThis.fetch = real));
  const scope = effectScope();
  after(() => scope.stop());
  async function open() {
    const desk = scope.run(() => useDraft(1)) as ReturnType<typeof useDraft>;
    await desk.load();
    await nextTick();
    return desk;
  }
  const settle = () => new Promise((resolve) => setTimeout(resolve, 20));

  it('takes putting a draft on the screen for no change', async () => {
    const played = play();
    const desk = await open();
    await desk.save();
    expect([played.saves.length, desk.unsaved.value, desk.untouched()]).to.deep.equal([0, false, true]);
  });

  it('keeps whom it is to, though nothing else was changed', async () => {
    const played = play();
    const desk = await open();
    // As a chip is added: within the list that was loaded.
    desk.people.value.to = [{ name: 'Ada', email: 'ada@fell.example' }];
    await nextTick();
    expect(desk.untouched()).to.equal(false);
    await desk.save();
    expect(played.saves.at(-1)?.people.to).to.deep.equal([{ name: 'Ada', email: 'ada@fell.example' }]);
  });

  it('keeps what was typed back to how it began', async () => {
    const played = play();
    const desk = await open();
    desk.body.value = body('something else');
    await nextTick();
    await desk.save();
    desk.body.value = body('as begun');
    await nextTick();
    await desk.save();
    expect(played.saves.map((save) => save.body)).to.deep.equal([body('something else'), body('as begun')]);
    expect(played.saves.map((save) => save.version)).to.deep.equal([1, 2]);
  });

  it('keeps what is typed while an earlier save is under way', async () => {
    const played = play();
    const desk = await open();
    desk.subject.value = 'One';
    await nextTick();
    const first = desk.save();
    desk.subject.value = 'Two';
    await nextTick();
    await first;
    await desk.save();
    expect(played.draft.subject).to.equal('Two');
    expect(desk.unsaved.value).to.equal(false);
  });

  it('holds on to what could not be kept, says why, and does not send it', async () => {
    const played = play();
    const desk = await open();
    desk.subject.value = 'Held';
    await nextTick();
    played.refuse = 409;
    expect(await desk.dispatch(null)).to.equal(false);
    expect([desk.subject.value, desk.problem.value, desk.unsaved.value, played.sent]).to.deep.equal([
      'Held',
      'Not now.',
      true,
      0,
    ]);
    played.refuse = 0;
    expect(await desk.dispatch(null)).to.equal(true);
    await settle();
    expect([played.draft.subject, played.sent, desk.open.value]).to.deep.equal(['Held', 1, false]);
  });
});
