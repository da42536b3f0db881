import { DateTime } from 'luxon';
import type { DemoRegister } from './register.ts';

/** The firm asks to be paid within so many days. */
const TERM = 30;
/** Its tax, of what is charged. */
const TAX = 0.2;

/** Fee notes of the demo firm: one or two for each piece of work, most of them paid, the same in every run of a day. */
export function feeNotes({ clients }: DemoRegister, now: Date) {
  const today = DateTime.fromJSDate(now, { zone: 'utc' });
  let number = 4100;
  return clients.flatMap(({ id, files }) =>
    files
      .filter((file) => !file.general)
      .flatMap((file) =>
        [40, 130].slice(0, 1 + (file.id % 2)).flatMap((after) => {
          const issued = DateTime.fromISO(file.opened, { zone: 'utc' }).plus({
            days: after + (file.id % 17),
          });
          if (issued > today) return [];
          const due = issued.plus({ days: TERM });
          const late = today.diff(due, 'days').days;
          // One in eleven is forgotten; of what fell due lately some wait for the post.
          const paid = late > 20 ? file.id % 11 !== 0 : late > 0 && file.id % 2 === 0;
          const net = 180 + ((file.id * 37 + after) % 1400);
          return {
            client_id: id,
            file_id: file.id,
            number: `Q${number++}`,
            issued_on: issued.toISODate() ?? '',
            due_on: due.toISODate() ?? '',
            amount: Math.round(net * (1 + TAX) * 100) / 100,
            tax: Math.round(net * TAX * 100) / 100,
            paid_on: paid ? due.minus({ days: file.id % 12 }).toISODate() : null,
            words: file.title,
          };
        }),
      ),
  );
}
