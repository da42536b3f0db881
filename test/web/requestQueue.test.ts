import { expect } from 'chai';
import { useRequestQueue } from '../../web/parts/requestQueue.ts';

const later = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

describe('requests in a line', () => {
  it('go in the order asked for, tell the last, and say when none is under way', async () => {
    const done: string[] = [];
    const { busy, follow } = useRequestQueue(() => undefined);
    void follow(async (last) => {
      await later(15);
      done.push(`slow ${last()}`);
    });
    const end = follow(async (last) => {
      done.push(`quick ${last()}`);
    });
    expect(busy.value).to.equal(true);
    await end;
    expect([done, busy.value]).to.deep.equal([['slow false', 'quick true'], false]);
  });
  it('go on after one failed, with the failure told in words', async () => {
    const told: string[] = [];
    const { busy, follow } = useRequestQueue((words) => {
      told.push(words);
    });
    void follow(async () => {
      throw new Error('secret detail');
    });
    let went = false;
    await follow(async () => {
      went = true;
    });
    expect([told, went, busy.value]).to.deep.equal([
      ['Something went wrong. Please try again.'],
      true,
      false,
    ]);
  });
});
