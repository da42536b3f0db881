import pino from 'pino';
import type { Config } from '../server/foundation/config.ts';
import { AppContext } from '../server/foundation/context.ts';
import type { Database, Transaction } from '../server/foundation/database.ts';
import type { DocNode } from '../core/merge/document.ts';
import { selectionOf, type Line, type Selection } from '../core/selection/tree.ts';
import { changeSelection, saveSelection } from '../server/selection/kept.ts';
import { checkMailing } from '../server/mailing/checking.ts';
import { releaseMailing } from '../server/mailing/release.ts';

const text = (words: string): DocNode => ({ type: 'text', text: words });
const bold = (words: string): DocNode => ({ type: 'text', text: words, marks: [{ type: 'bold' }] });
const link = (words: string, href: string): DocNode => ({
  type: 'text',
  text: words,
  marks: [{ type: 'link', attrs: { href } }],
});
const field = (key: string, fallback = ''): DocNode => ({
  type: 'mergeField',
  attrs: { field: key, fallback },
});
const paragraph = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const doc = (...content: DocNode[]): DocNode => ({ type: 'doc', content });

/** Active clients on a retainer or with a project, for whom these hold too. */
async function retained(trx: Transaction, ...of: Line[]): Promise<Selection> {
  const services: number[] = await trx('service')
    .whereIn('name', ['Annual retainer', 'Project'])
    .orderBy('id')
    .pluck('id');
  const active: Line = { fact: 'client.status', test: { op: 'one of', values: ['active'] } };
  const service: Line = { fact: 'client.service', test: { op: 'one of', values: services } };
  return { ...selectionOf(active, ...of, service), past: false };
}

/** The mailings on the office manager's desk when the demo starts: one half written, one ready to be let go. */
export async function halfWritten(trx: Transaction): Promise<void> {
  const now = new Date();
  const shared = { owner_id: 1, file_choice: 'general' as const, saved_at: now };
  await trx('mailing').insert([
    {
      ...shared,
      id: 1,
      name: 'Autumn letter to retained clients',
      selection_id: await saveSelection(trx, 1, await retained(trx)),
      subject: JSON.stringify(doc(paragraph(text('The coming year at '), field('client.place')))),
      body: JSON.stringify(
        doc(
          paragraph(text('Dear '), field('greeting'), text(',')),
          paragraph(
            text(
              'The leaves are down and the ground is wet, so this is the season of plans rather than of work. Before Christmas we should like to agree with you what the coming year holds at ',
            ),
            field('client.place', 'your place'),
            text('.'),
          ),
          paragraph(
            text('Please tell me which week would suit for a visit: what we shall want to see is on '),
            link('our page for the winter round', 'https://www.quillhurst.example/winter-round'),
            text('. If something cannot wait, ring me.'),
          ),
          paragraph(text('With kind regards')),
          paragraph(
            field('adviser.name'),
            { type: 'hardBreak' },
            field('firm.name'),
            { type: 'hardBreak' },
            field('adviser.phone'),
          ),
        ),
      ),
    },
    {
      ...shared,
      id: 2,
      name: 'Woodland grant window closes 12 December',
      selection_id: await saveSelection(
        trx,
        1,
        await retained(trx, { fact: 'field:2', test: { op: 'at least', value: 10 } }),
      ),
      subject: JSON.stringify(doc(paragraph(text('Woodland grant window closes 12 December')))),
      body: JSON.stringify(
        doc(
          paragraph(text('Dear '), field('greeting'), text(',')),
          paragraph(
            text('The woodland grant window closes on '),
            bold('12 December'),
            text('. Our records show '),
            field('field:2', 'some'),
            text(' of woodland at '),
            field('client.place', 'your place'),
            text(', which would qualify.'),
          ),
          paragraph(text('If you want to put in for it, we need three things from you:')),
          {
            type: 'bulletList',
            content: [
              'the map of the wood with this year’s thinning marked',
              'your holding number',
              'a word on who will do the work',
            ].map((words) => ({
              type: 'listItem',
              content: [paragraph(text(words))],
            })),
          },
        ),
      ),
    },
  ]);
}

/** Lets the autumn letter go, as Maren would have done just before the demo starts. */
export async function releaseAutumnLetter(db: Database, key: Buffer): Promise<void> {
  const config: Config = {
    databaseUrl: '',
    port: 0,
    key,
    workers: false,
    sendGap: 4000,
    waitScale: 1,
    secureCookies: false,
    webDir: '',
  };
  const context = new AppContext(db, config, pino({ level: 'silent' }));
  const recipients = await checkMailing(db, 1);
  // Recipients whose greeting is missing are left for her to settle by hand.
  const gaps = [...new Set(recipients.missing.map((row) => row.clientId))];
  const selection = await retained(db as Transaction);
  const kept = await db('mailing').where({ id: 1 }).first('selection_id');
  await changeSelection(db as Transaction, kept?.selection_id ?? 0, { ...selection, removed: gaps });
  await releaseMailing(
    context,
    { id: 1, name: 'Maren Okell', email: 'maren.okell@quillhurst.example', role: 'manager' },
    1,
    { version: 1, recipients: recipients.order.length - gaps.length, untestedWhy: 'sent as in every autumn' },
  );
}
