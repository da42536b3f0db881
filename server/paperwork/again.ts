import type { StaffMember } from '../../contract/index.ts';
import { addressKey } from '../../core/address/address.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { Refusal } from '../foundation/refusal.ts';
import { mendAddress, wait } from '../mailing/again.ts';

/**
 * Sends a piece that came back once more, as it lies on the file: to a mended address, which becomes the person's in the
 * records, or to the same one.
 * @throws Refusal when it has not come back
 */
export async function sendPieceAgain(
  db: Database,
  staff: StaffMember,
  pieceId: number,
  address: string,
): Promise<void> {
  await transact(db, async (trx) => {
    const piece = await trx('paper_piece').where({ id: pieceId }).forUpdate().first('people');
    const row = await trx('dispatch').where({ piece_id: pieceId }).forUpdate().first();
    if (!piece || row?.state !== 'returned')
      throw new Refusal(409, 'That piece has not come back, or was sent again already.');
    await mendAddress(trx, staff, row, address);
    const was = addressKey(row.to_address);
    const people = fromJson('paper_piece.people', piece.people).map((each) =>
      addressKey(each.email) === was ? { ...each, email: address } : each,
    );
    await trx('paper_piece')
      .where({ id: pieceId })
      .update({ people: toJson('paper_piece.people', people) });
    await wait(trx, row, address);
    await noteAudit(trx, {
      ...{ staffId: staff.id, action: 'sent again', subject: 'paper piece', id: pieceId },
      before: { address: row.to_address, answer: row.answer },
      after: { address },
    });
    await noteChange(trx, 'paperwork');
    await noteChange(trx, 'mailings');
  });
}
