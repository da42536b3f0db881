import { Readable } from 'node:stream';
import SMTPConnection from 'nodemailer/lib/smtp-connection';
import { isLoopback, refuseOpenNetwork } from './networks.ts';
import { tlsOptions, type Access } from './access.ts';

export interface SmtpEnvelope {
  from: string;
  to: string[];
}

/** What went wrong, with the server's code when it gave one. */
export interface SmtpFault extends Error {
  responseCode?: number;
  response?: string;
  code?: string;
}

/** One signed-in connection to a mailbox's outgoing server; it can send one message after another. */
export class OutgoingConnection {
  private broken = false;

  private constructor(private readonly connection: SMTPConnection) {
    connection.on('error', () => (this.broken = true));
    connection.on('end', () => (this.broken = true));
  }

  /** Connects and signs in. @throws what the server or the way to it throws */
  static async open(access: Access): Promise<OutgoingConnection> {
    refuseOpenNetwork(access.smtp_host, access.smtp_security);
    const connection = new SMTPConnection({
      host: access.smtp_host,
      port: access.smtp_port,
      secure: access.smtp_security === 'tls',
      requireTLS: access.smtp_security === 'starttls',
      ignoreTLS: access.smtp_security === 'none',
      tls: tlsOptions(access),
      connectionTimeout: 20_000,
      greetingTimeout: 20_000,
      socketTimeout: 120_000,
      socketCloseTimeout: 0,
      allowInternalNetworkInterfaces: isLoopback(access.smtp_host),
      logger: false,
    });
    const opened = new OutgoingConnection(connection);
    await new Promise<void>((resolve, reject) => {
      connection.once('error', reject);
      connection.connect((error) => {
        if (error) return reject(error);
        connection.login({ user: access.user, pass: access.password }, (refused) =>
          refused ? reject(refused) : resolve(),
        );
      });
    }).catch((error: unknown) => {
      connection.close();
      throw error;
    });
    return opened;
  }

  get usable(): boolean {
    return !this.broken;
  }

  /**
   * Sends one message.
   * @param beforeText awaited when the server has asked for the text and before its first byte is handed over
   * @returns the server's own words, and those of the envelope it refused while taking others
   */
  send(
    envelope: SmtpEnvelope,
    raw: Buffer,
    beforeText?: () => Promise<void>,
  ): Promise<{ response: string; rejected: string[] }> {
    const text = Readable.from(
      (async function* () {
        await beforeText?.();
        yield raw;
      })(),
    );
    return new Promise((resolve, reject) => {
      const failed = (error: Error) => {
        this.close();
        reject(error);
      };
      const lost = () => failed(Object.assign(new Error('the connection was lost'), { code: 'ECONNECTION' }));
      this.connection.once('error', failed);
      this.connection.once('end', lost);
      text.once('error', failed);
      this.connection.send(envelope, text, (error, info) => {
        this.connection.off('error', failed);
        this.connection.off('end', lost);
        if (error) failed(error);
        else resolve({ response: info?.response ?? '', rejected: (info?.rejected ?? []).map(String) });
      });
    });
  }

  /** Ends the connection. */
  close(): void {
    this.broken = true;
    this.connection.close();
  }
}

/** Opens a connection for one piece of work and closes it afterwards. */
export async function withConnection<T>(
  access: Access,
  work: (connection: OutgoingConnection) => Promise<T>,
): Promise<T> {
  const connection = await OutgoingConnection.open(access);
  try {
    return await work(connection);
  } finally {
    connection.close();
  }
}
