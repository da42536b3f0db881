import type { Knex } from 'knex';
import type { SignatureView } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { fillIn, paragraph } from '../../core/merge/letter.ts';
import { plain } from '../../core/merge/plain.ts';
import { factCatalogue, gatherFacts } from '../facts/gather.ts';
import { noteAudit } from '../foundation/audit.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { fromJson } from '../foundation/json.ts';
import { notFound } from '../foundation/refusal.ts';
import { usualSignature } from '../office/own.ts';
import { wordingsFor } from './cupboard.ts';

/**
 * What stands below everything a member of staff writes: the signature they chose in the cupboard, its facts their
 * own, or who they are; then the firm's notice.
 */
export async function signatureOf(db: Knex, staffId: number): Promise<DocNode[]> {
  const [firm, staff] = await Promise.all([
    readFirm(db),
    db('staff').where({ id: staffId }).first('name', 'title', 'phone', 'signature_id'),
  ]);
  const chosen = staff?.signature_id
    ? await wordingsFor(db, staffId).where({ id: staff.signature_id, kind: 'signature' }).first('body')
    : undefined;
  if (!chosen) return [paragraph([usualSignature(firm, staff), firm.notice].filter(Boolean).join('\n'))];
  const signed = await asSigned(db, staffId, fromJson('wording.body', chosen.body));
  return [...(signed.content ?? []), ...(firm.notice ? [paragraph(firm.notice)] : [])];
}

/** A kept signature with the facts of whoever signs. */
async function asSigned(db: Knex, staffId: number, body: DocNode): Promise<DocNode> {
  const about = { clientId: 0, fileId: null, adviserId: staffId, person: null, greeting: null };
  const [[known = { words: {} }], catalogue] = await Promise.all([
    gatherFacts(db, [about]),
    factCatalogue(db),
  ]);
  const labels = new Map(catalogue.map(({ key, label }) => [key, label]));
  return fillIn(body, known, (key) => labels.get(key) ?? key).doc;
}

/** What stands below one's messages, the usual lines, and what else lies in the cupboard for it. */
export async function ownSignature(db: Knex, staffId: number): Promise<SignatureView> {
  const [firm, member, kept] = await Promise.all([
    readFirm(db),
    db('staff').where({ id: staffId }).first('name', 'title', 'phone', 'signature_id', 'signed'),
    wordingsFor(db, staffId).where({ kind: 'signature' }).orderBy('name').select('id', 'name', 'body'),
  ]);
  const choices = await Promise.all(
    kept.map(async ({ id, name, body }: { id: number; name: string; body: string }) => ({
      id,
      name,
      words: plain(await asSigned(db, staffId, fromJson('wording.body', body))).trim(),
    })),
  );
  return {
    signatureId: choices.some(({ id }) => id === member?.signature_id)
      ? (member?.signature_id ?? null)
      : null,
    signed: member?.signed?.toString('hex') ?? null,
    usual: usualSignature(firm, member),
    choices,
  };
}

/** Keeps a picture of one's signature, for letters; null: none. @throws Refusal when that picture is not kept here */
export async function keepSigned(db: Database, staffId: number, hash: string | null): Promise<void> {
  await transact(db, async (trx) => {
    const picture =
      hash === null
        ? null
        : await trx('picture')
            .where({ hash: Buffer.from(hash, 'hex') })
            .first('hash');
    if (picture === undefined) throw notFound('That picture');
    await trx('staff')
      .where({ id: staffId })
      .update({ signed: picture?.hash ?? null });
    await noteAudit(trx, {
      staffId,
      action: 'picture of a signature kept',
      subject: 'staff',
      id: staffId,
      after: hash,
    });
  });
}

/** Chooses what stands below one's messages; null: the usual lines. @throws Refusal when it is not there for this person */
export async function chooseSignature(
  db: Database,
  staffId: number,
  signatureId: number | null,
): Promise<void> {
  await transact(db, async (trx) => {
    if (
      signatureId !== null &&
      !(await wordingsFor(trx, staffId).where({ id: signatureId, kind: 'signature' }).first('id'))
    )
      throw notFound('That signature');
    const before = await trx('staff').where({ id: staffId }).first('signature_id');
    await trx('staff').where({ id: staffId }).update({ signature_id: signatureId });
    await noteAudit(trx, {
      staffId,
      action: 'signature chosen',
      subject: 'staff',
      id: staffId,
      before: before?.signature_id,
      after: signatureId,
    });
  });
}
