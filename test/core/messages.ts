import type { FilingMessage } from '../../core/filing/types.ts';

/** A plain message to an adviser, as filing sees it. */
export function plainMessage(from: string, extra: Partial<FilingMessage> = {}, name = ''): FilingMessage {
  return {
    from: { name, address: from },
    recipients: [{ name: '', address: 'adviser@firm.example' }],
    subject: 'A matter',
    own: 'I have put it in the post to you today.',
    signature: '',
    footer: '',
    quoted: '',
    enclosureNames: [],
    named: [],
    automatic: null,
    list: '',
    returned: null,
    undelivered: [],
    original: null,
    isReply: false,
    at: Date.UTC(2026, 10, 1),
    ...extra,
  };
}
