import { expect } from 'chai';
import { AT_ONCE, type MailingDraft } from '../../contract/index.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { together } from '../../web/mailings/together.ts';

const words = (text: string) => ({
  type: 'doc',
  content: [{ type: 'paragraph', content: [{ type: 'text', text }] }],
});
const BASE: MailingDraft = {
  name: 'To all',
  selection: selectionOf(),
  topicId: null,
  subject: words('A word'),
  body: words('One copy each.'),
  plain: null,
  framed: false,
  channel: 'email',
  laidOut: false,
  senderId: null,
  answersId: null,
  eachOf: 'client',
  roles: [],
  colleagues: null,
  fileChoice: 'general',
  waitDays: null,
  timing: AT_ONCE,
  optOut: true,
  counted: true,
};

describe('two people on one mailing', () => {
  it('have both what each changed, part by part', () => {
    const mine = { ...BASE, body: words('Mine.') };
    const theirs = { ...BASE, subject: words('Theirs'), framed: true };
    expect(together(BASE, mine, theirs)).to.deep.equal({
      draft: { ...BASE, body: words('Mine.'), subject: words('Theirs'), framed: true },
      both: [],
    });
  });
  it('are told of what both changed, and nothing of theirs takes its place unasked', () => {
    const mine = { ...BASE, body: words('Mine.'), name: 'Same' };
    const theirs = { ...BASE, body: words('Theirs.'), name: 'Same', optOut: false };
    const { draft, both } = together(BASE, mine, theirs);
    expect(both).to.deep.equal(['body']);
    expect([draft.body, draft.name, draft.optOut]).to.deep.equal([words('Mine.'), 'Same', false]);
  });
  it('have changed nothing where the editor leaves something undefined', () => {
    const field = { type: 'mergeField', attrs: { field: 'greeting', format: undefined } };
    const mine = { ...BASE, body: { type: 'doc', content: [{ type: 'paragraph', content: [field] }] } };
    const base = JSON.parse(JSON.stringify(mine)) as MailingDraft;
    const { draft, both } = together(base, mine, { ...base, body: words('Theirs.') });
    expect([draft.body, both]).to.deep.equal([words('Theirs.'), []]);
  });
  it('have changed nothing where the same is only told in another order', () => {
    const paragraph = { content: [{ text: 'One copy each.', type: 'text' }], type: 'paragraph' };
    const theirs = { ...BASE, body: { content: [paragraph], type: 'doc' } };
    expect(together(BASE, { ...BASE, body: words('Mine.') }, theirs).both).to.deep.equal([]);
  });
});
