import { expect } from 'chai';
import { PasswordChange } from '../../contract/index.ts';
import { ApiProblem } from '../../web/api.ts';
import { useForm } from '../../web/ui/form.ts';

describe('a form', () => {
  const open = () => useForm(PasswordChange, ['current', 'next']);

  it('says at each field what the server would, and asks it nothing', async () => {
    const form = open();
    let asked = 0;
    expect(await form.submit({ current: '', next: 'short' }, async () => void asked++)).to.equal(false);
    expect([form.errorOf('current'), form.errorOf('next'), form.problem.value, asked]).to.deep.equal([
      ['Give your present password.'],
      ['Ten letters or more, please.'],
      '',
      0,
    ]);
  });

  it('tells what the server refuses at the field it is about, else of the whole, and forgets what was mended', async () => {
    const form = open();
    const right = { current: 'open the gate', next: 'close it again' };
    const refuse = (field: string | null) => () =>
      Promise.reject(new ApiProblem(400, 'That is wrong.', field));
    await form.submit(right, refuse('current'));
    expect([form.errorOf('current'), form.problem.value]).to.deep.equal([['That is wrong.'], '']);
    await form.submit(right, refuse('elsewhere'));
    expect([form.errorOf('current'), form.problem.value]).to.deep.equal([[], 'That is wrong.']);
    expect(await form.submit(right, async () => undefined)).to.equal(true);
    expect([form.problem.value, form.busy.value]).to.deep.equal(['', false]);
  });
});
