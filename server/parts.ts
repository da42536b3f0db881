import { messageEntries } from './correspondence/ledger/messages.ts';
import type { LedgerKind } from './correspondence/ledger/port.ts';
import type { OutgoingKind } from './dispatch/port.ts';
import type { AppContext } from './foundation/context.ts';
import { outgoingMailings } from './mailing/outgoing.ts';
import type { Chore } from './mailbox/sync/sync.ts';
import { timelineEntries } from './timeline/ledger.ts';
import { letters } from './writing/outgoing.ts';
import { mirrorDrafts } from './writing/mirror.ts';

/** What dispatch sends: a further kind is added here, and nowhere else. */
export const outgoing = (context: AppContext): readonly OutgoingKind[] => [
  letters,
  outgoingMailings(context),
];

/** What is done in each mailbox beside keeping it in step. */
export const CHORES: readonly Chore[] = [mirrorDrafts];

/** What stands in a client's ledger: a further kind is added here, and nowhere else. */
export const LEDGER: readonly LedgerKind[] = [messageEntries, timelineEntries];
