import type { DeliveryKind, DeliveryWay, RecordSubject } from '../../contract/index.ts';
import { RegisterChoices } from '../../contract/index.ts';
import { useLoad } from '../ui/load.ts';

export const DELIVERY_KINDS: Record<DeliveryKind, string> = {
  letters: 'Letters to act on',
  statements: 'Fee notes and statements',
  mailings: 'Mailings',
};
export const DELIVERY_WAYS: Record<DeliveryWay, string> = {
  email: 'by email',
  post: 'by post',
  both: 'by email and post',
  none: 'not at all',
};

/** What may be chosen while a record is changed, and the fields of the firm's own. */
export function useChoices() {
  const { data: choices, problem } = useLoad(RegisterChoices, () => '/register/choices', {
    concerns: { records: true },
  });
  const fieldsOf = (subject: RecordSubject) =>
    choices.value?.fields.filter((field) => field.of === subject) ?? [];
  return { choices, problem, fieldsOf };
}
