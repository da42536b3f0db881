import type { TextMessage } from '../../contract/index.ts';

const STATES: Record<TextMessage['state'], string> = {
  waiting: 'waits to leave',
  going: 'leaving',
  sent: 'sent',
  delivered: 'delivered',
  failed: 'not delivered',
  cancelled: 'not sent',
  received: '',
  prepared: 'lies prepared',
};

/** How a text message fares, in words. */
export function faresWords({ state, why }: TextMessage): string {
  return why && state !== 'sent' && state !== 'delivered' ? `${STATES[state]}: ${why}` : STATES[state];
}
