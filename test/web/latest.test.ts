import { expect } from 'chai';
import { ApiProblem } from '../../web/api.ts';
import { useLatest } from '../../web/ui/latest.ts';

/** Answers when told to. */
function question<T>() {
  let answer: (value: T) => void = () => undefined;
  let refuse: (error: Error) => void = () => undefined;
  const promise = new Promise<T>((resolve, reject) => {
    answer = resolve;
    refuse = reject;
  });
  return { ask: () => promise, answer, refuse };
}

describe('questions of which the newest counts', () => {
  it('give no late answer to an older one', async () => {
    const { ask, asking } = useLatest();
    const [older, newer] = [question<string>(), question<string>()];
    const first = ask(older.ask);
    const second = ask(newer.ask);
    newer.answer('new');
    expect(await second).to.equal('new');
    expect(asking.value).to.equal(false);
    older.answer('old');
    expect(await first).to.equal(undefined);
  });

  it('tell the trouble of the newest one only', async () => {
    const { ask, asking, problem } = useLatest();
    const [older, newer] = [question<string>(), question<string>()];
    const first = ask(older.ask);
    const second = ask(newer.ask);
    older.refuse(new ApiProblem(500, 'The older one failed.'));
    expect(await first).to.equal(undefined);
    expect([asking.value, problem.value]).to.deep.equal([true, '']);
    newer.refuse(new ApiProblem(400, 'The newer one failed.'));
    await second;
    expect([asking.value, problem.value]).to.deep.equal([false, 'The newer one failed.']);
    expect(await ask(() => Promise.resolve('fine'))).to.equal('fine');
    expect(problem.value).to.equal('');
  });
});
