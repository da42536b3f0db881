import { pageEntries } from './collection/ledger.ts';
import { messageEntries } from './correspondence/ledger/messages.ts';
import type { LedgerKind } from './correspondence/ledger/port.ts';
import type { OutgoingKind } from './dispatch/port.ts';
import type { AppContext } from './foundation/context.ts';
import { outgoingMailings } from './mailing/outgoing.ts';
import type { Chore } from './mailbox/sync/sync.ts';
import { paperEntries } from './paperwork/ledger.ts';
import { outgoingPaperwork } from './paperwork/outgoing.ts';
import { textEntries } from './textmessage/ledger.ts';
import type { Feed } from './textmessage/worker.ts';
import { startTexts } from './mailing/texts.ts';
import { timelineEntries } from './timeline/ledger.ts';
import { outgoingLetters } from './writing/outgoing.ts';
import { mirrorDrafts } from './writing/mirror.ts';

/** What dispatch sends: a further kind is added here, and nowhere else. */
export const outgoing = (context: AppContext): readonly OutgoingKind[] => [
  outgoingLetters(context),
  outgoingMailings(context),
  outgoingPaperwork(),
];

/** What is done in each mailbox beside keeping it in step. */
export const CHORES: readonly Chore[] = [mirrorDrafts];

/** What makes text messages beside whoever writes one. */
export const TEXT_FEEDS: readonly Feed[] = [startTexts];

/** What stands in a client's ledger: a further kind is added here, and nowhere else. */
export const LEDGER: readonly LedgerKind[] = [
  messageEntries,
  timelineEntries,
  paperEntries,
  textEntries,
  pageEntries,
];
