import type { AddressInfo } from 'node:net';
import { SMTPServer } from 'smtp-server';
import type { Listening } from './imap/server.ts';
import { EXCHANGE, type Coming } from './vouch.ts';

/** What the exchange says to one recipient; null accepts. */
export interface RecipientAnswer {
  code: number;
  text: string;
}

export interface SmtpOptions {
  login(user: string, password: string): boolean;
  /** Asked at RCPT. */
  recipient(sender: string, recipient: string): RecipientAnswer | null;
  /** Called once a message is complete. */
  accept(coming: Coming, recipients: string[], raw: Buffer): void;
}

const LARGEST_MESSAGE = 50 * 1024 * 1024;

/** Serves message submission on loopback; port 0 takes any free one. */
export async function listenSmtp(port: number, options: SmtpOptions): Promise<Listening> {
  const server = new SMTPServer({
    name: EXCHANGE,
    banner: 'ready',
    size: LARGEST_MESSAGE,
    disabledCommands: ['STARTTLS'],
    allowInsecureAuth: true,
    disableReverseLookup: true,
    logger: false,
    onAuth(auth, _session, done) {
      if (options.login(auth.username ?? '', auth.password ?? '')) done(null, { user: auth.username });
      else done(refusal(535, '5.7.8 the user or the password is wrong'));
    },
    onRcptTo(address, session, done) {
      const sender = session.envelope.mailFrom ? session.envelope.mailFrom.address : '';
      const answer = options.recipient(sender, address.address.toLowerCase());
      done(answer ? refusal(answer.code, answer.text) : null);
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => {
        if (stream.sizeExceeded) return done(refusal(552, '5.3.4 the message is too large'));
        const sender = session.envelope.mailFrom ? session.envelope.mailFrom.address : '';
        options.accept(
          { sender, user: (session.user ?? '').toLowerCase(), peer: session.hostNameAppearsAs || '' },
          session.envelope.rcptTo.map(({ address }) => address.toLowerCase()),
          Buffer.concat(chunks),
        );
        done(null, '2.0.0 taken');
      });
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject);
    server.listen(port, '127.0.0.1', () => resolve());
  });
  return {
    port: (server.server.address() as AddressInfo).port,
    close: () => new Promise((resolve) => server.close(() => resolve())),
  };
}

function refusal(code: number, text: string): Error {
  return Object.assign(new Error(text), { responseCode: code });
}
