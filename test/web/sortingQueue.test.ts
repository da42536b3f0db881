import { expect } from 'chai';
import { createPinia, setActivePinia } from 'pinia';
import type { MessageView, Sort, SortingQueue, SortingRow } from '../../contract/index.ts';
import { useSortingQueue } from '../../web/sorting/sortingQueue.ts';

/** The desk's own conduct, with a server that is played: what is asked of it is noted. */
interface Played {
  rows: SortingRow[];
  asked: { method: string; path: string; body: Sort | null }[];
  delay: number;
  refuse: string;
}

const row = (id: number, group: SortingRow['group'] = 'look'): SortingRow => ({
  id,
  group,
  at: '2026-11-24T08:41:00.000Z',
  from: `Writer ${id}`,
  subject: `Subject ${id}`,
  direction: 'received',
  first: group === 'nobody' ? null : { number: `QL-0000${id}`, likelihood: 'likely' },
});
const view = (id: number): MessageView => ({
  id,
  direction: 'received',
  at: '2026-11-24T08:41:00.000Z',
  subject: `Subject ${id}`,
  parties: [],
  mailboxes: [],
  own: '',
  quoted: '',
  quotedLines: 0,
  hasHtml: false,
  hasRemotePictures: false,
  enclosures: [],
  state: 'suggested',
  files: [],
  candidates: [],
  evidence: [],
  decidedBy: null,
  history: [],
  restOfConversation: 0,
  conversationId: id,
  conversationSize: 1,
  stranger: null,
  listId: '',
  notes: [],
  laterUntil: null,
  waits: null,
  differs: null,
  handler: null,
  problem: null,
  shortened: false,
  confirmation: null,
  warnings: [],
  twins: [],
});

function play(ids: number[]): Played {
  const played: Played = { rows: ids.map((id) => row(id)), asked: [], delay: 0, refuse: '' };
  globalThis.fetch = (async (url: string, init: RequestInit = {}) => {
    const path = String(url).replace('/api', '');
    const method = init.method ?? 'GET';
    const body = init.body ? (JSON.parse(String(init.body)) as Sort) : null;
    const answer = (value: unknown, status = 200) => new Response(JSON.stringify(value), { status });
    if (method === 'GET' && path.startsWith('/sorting')) {
      const queue: SortingQueue = {
        rows: played.rows,
        counts: { certain: 0, look: played.rows.length, nobody: 0 },
        total: played.rows.length,
        filedAlone: 3,
        unconnected: [],
        undo: { id: 7, words: 'Filed to QL-00001' },
      };
      return answer(queue);
    }
    if (method === 'GET') return answer(view(Number(path.split('/').at(-1))));
    if (played.delay) await new Promise((resolve) => setTimeout(resolve, played.delay));
    played.asked.push({ method, path, body });
    if (played.refuse) return answer({ message: played.refuse, field: null }, 409);
    if (path === '/sorting') {
      const gone = new Set([body?.messageId, ...(body?.alsoIds ?? [])]);
      played.rows = played.rows.filter((each) => !gone.has(each.id));
      return answer({ stepId: 1, words: 'Filed', messages: gone.size, settledAlong: body?.note ? 2 : 0 });
    }
    played.rows = [row(1), ...played.rows];
    return answer({ stepId: 7, words: 'Taken back: Filed to QL-00001', messages: 1, settledAlong: 0 });
  }) as typeof fetch;
  setActivePinia(createPinia());
  return played;
}
const settled = async (desk: ReturnType<typeof useSortingQueue>) => {
  do await new Promise((resolve) => setTimeout(resolve, 5));
  while (desk.busy);
};
const FILE = { kind: 'files' as const, fileIds: [1] };

describe('the desk', () => {
  const real = globalThis.fetch;
  after(() => (globalThis.fetch = real));

  it('shows the next message before the last is settled, and loses no key', async () => {
    const played = play([1, 2, 3, 4]);
    played.delay = 20;
    const desk = useSortingQueue();
    await desk.load();
    expect([desk.selectedId, desk.message?.id]).to.deep.equal([1, 1]);
    desk.settle(FILE);
    expect(desk.rows.map((each) => each.id)).to.deep.equal([2, 3, 4]);
    await new Promise((resolve) => setTimeout(resolve, 2));
    expect(desk.message?.id).to.equal(2);
    desk.settle({ kind: 'aside' });
    await settled(desk);
    expect(played.asked.map(({ body }) => [body?.messageId, body?.to.kind])).to.deep.equal([
      [1, 'files'],
      [2, 'aside'],
    ]);
    expect([desk.selectedId, desk.message?.id, desk.rows.length]).to.deep.equal([3, 3, 2]);
  });

  it('takes no key for a message that is not shown yet', async () => {
    const played = play([1, 2]);
    const desk = useSortingQueue();
    await desk.load();
    void desk.select(2);
    desk.settle(FILE);
    await settled(desk);
    expect(played.asked).to.deep.equal([]);
  });

  it('begins anew with each message: remark, several files, the rest of the conversation', async () => {
    const played = play([1, 2]);
    const desk = useSortingQueue();
    await desk.load();
    const file = {
      id: 9,
      number: 'QL-00009',
      title: '',
      clientId: 1,
      clientName: '',
      general: false,
      closed: false,
    };
    desk.toggle(file);
    expect(desk.chosen.map((each) => each.id)).to.deep.equal([9]);
    desk.toggle(file);
    expect(desk.chosen).to.deep.equal([]);
    desk.note = 'By telephone';
    desk.rest = false;
    desk.addAddressTo = 5;
    desk.settle(FILE);
    await settled(desk);
    expect(played.asked[0]?.body).to.deep.equal({
      messageId: 1,
      alsoIds: [],
      to: FILE,
      restOfConversation: false,
      note: 'By telephone',
      addAddressTo: 5,
    });
    expect(desk.said).to.equal('Filed; 2 more found their place by that');
    expect([desk.note, desk.rest, desk.addAddressTo]).to.deep.equal(['', true, null]);
  });

  it('accepts a group in one step, and takes the last step back', async () => {
    const played = play([1, 2, 3]);
    played.rows = [row(1, 'certain'), row(2, 'certain'), row(3, 'nobody')];
    const desk = useSortingQueue();
    await desk.load();
    desk.acceptGroup('certain');
    await settled(desk);
    expect(played.asked[0]?.body).to.deep.include({ messageId: 1, alsoIds: [2], to: { kind: 'suggested' } });
    expect(desk.rows.map((each) => each.id)).to.deep.equal([3]);
    await desk.undo();
    expect(played.asked.at(-1)?.path).to.equal('/sorting/steps/7/undo');
    expect([desk.selectedId, desk.said]).to.deep.equal([1, 'Taken back: Filed to QL-00001']);
  });

  it('brings a message back that was refused, and says why', async () => {
    const played = play([1, 2]);
    played.refuse = 'A colleague has moved that message since.';
    const desk = useSortingQueue();
    await desk.load();
    desk.settle(FILE);
    await settled(desk);
    expect(desk.rows.map((each) => each.id)).to.deep.equal([1, 2]);
    expect(desk.problem).to.equal('A colleague has moved that message since.');
  });

  it('moves up and down, and stays at the ends', async () => {
    play([1, 2, 3]);
    const desk = useSortingQueue();
    await desk.load();
    desk.move(-1);
    expect(desk.selectedId).to.equal(1);
    desk.move(1);
    desk.move(1);
    desk.move(1);
    expect(desk.selectedId).to.equal(3);
  });
});
