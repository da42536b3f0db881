import { rootCertificates } from 'node:tls';
import type { Knex } from 'knex';
import type { Config } from '../foundation/config.ts';
import { notFound } from '../foundation/refusal.ts';
import type { Rows } from '../foundation/tables.ts';
import { unseal } from '../security/seal.ts';

/** How a connection is protected: from the first byte, after asking (STARTTLS), or not at all, on loopback only. */
export type Security = 'tls' | 'starttls' | 'none';

/** What it takes to reach a mailbox. */
export interface Access {
  imap_host: string;
  imap_port: number;
  imap_security: Security;
  smtp_host: string;
  smtp_port: number;
  smtp_security: Security;
  user: string;
  password: string;
  /** Further authorities whose certificates are believed, as PEM; for mail servers within an office. */
  authorities?: string;
}

export type MailboxRow = Rows['mailbox'];

/** A mailbox of ours. @throws when there is no such one */
export async function readMailbox(db: Knex, id: number): Promise<MailboxRow> {
  const mailbox = await db('mailbox').where({ id }).first();
  if (!mailbox) throw notFound('That mailbox');
  return mailbox;
}

/** The ways in to a mailbox, its password unsealed. */
export function accessOf(mailbox: MailboxRow, { key, mailAuthorities }: KeyAndAuthorities): Access {
  return { ...mailbox, password: unseal(key, mailbox.sealed_password), ...believing(mailAuthorities) };
}

type KeyAndAuthorities = Pick<Config, 'key' | 'mailAuthorities'>;

/** The part of {@link Access} that says whose certificates are believed. */
export function believing(authorities: string | undefined): Pick<Access, 'authorities'> {
  return authorities ? { authorities } : {};
}

/** What a protected connection believes: the usual authorities, and those of the office's own. */
export function tlsOptions({ authorities }: Access): { ca?: string[] } {
  return authorities ? { ca: [...rootCertificates, authorities] } : {};
}
