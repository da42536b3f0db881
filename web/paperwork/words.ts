import type { PaperKind, PaperWay, PieceRow, RunCounts } from '../../contract/index.ts';
import { many } from '../words.ts';

/** What runs of each kind make. */
export const KINDS: Record<PaperKind, { one: string; many: string }> = {
  letter: { one: 'letter', many: 'letters' },
  'fee note': { one: 'fee note', many: 'fee notes' },
  statement: { one: 'statement', many: 'statements' },
  reminder: { one: 'reminder', many: 'reminders' },
};

export const WAYS: Record<PaperWay, string> = { email: 'by email', post: 'by post', both: 'email and post' };

/** Where a run stands, in a sentence. */
export function standing(counts: RunCounts): string {
  const { total, waiting, wrong, made, read, held, released, toPrint, returned } = counts;
  const parts = [
    waiting ? `${many(waiting, 'piece')} being made` : '',
    wrong ? `${wrong} with something to settle` : '',
    made ? `${made} to read` : '',
    read ? `${read} read` : '',
    held ? `${held} on hold` : '',
    released ? `${released === total ? 'all' : released} released` : '',
    toPrint ? `${toPrint} to be posted` : '',
    returned ? `${returned} came back` : '',
  ];
  return parts.filter(Boolean).join(', ') || 'no pieces yet';
}

/** What became of a piece, in a few words. */
export function became({ gone, state }: PieceRow): string {
  if (state === 'waiting') return 'being made';
  if (state === 'held') return 'on hold';
  if (state === 'dropped') return 'dropped';
  if (!gone) return state === 'read' ? 'read' : 'to read';
  const mail = gone.mail && (gone.mail.state === 'returned' ? 'came back' : gone.mail.state);
  const post = gone.printedAt ? 'posted' : gone.mail ? '' : 'to be posted';
  return [mail, post].filter(Boolean).join(', ');
}
