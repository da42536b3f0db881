import { computed, reactive, ref, watch, type ComputedRef, type Ref } from 'vue';
import { ApiProblem, wordsOf } from '../api.ts';

/** Some fields of a record: what stood in them when the person began, and what is to stand there. */
export interface RecordChange<T> {
  before: Partial<T>;
  after: Partial<T>;
}

export interface RecordForm<T> {
  /** What is on the screen. */
  form: T;
  /** Fields that differ from what stood there. */
  changed: ComputedRef<(keyof T & string)[]>;
  /** What somebody else made of fields that are being changed here, while nobody has chosen between the two. */
  theirs: Ref<Partial<T>>;
  /** What is wrong with a field, for `error-messages`. */
  errorOf(field: keyof T & string): string[];
  /** What is wrong with the whole. */
  problem: Ref<string>;
  busy: Ref<boolean>;
  /** Hands over what was changed. @returns whether all of it is kept */
  keep(): Promise<boolean>;
  /** Forgets what was typed, in one field or in all. */
  undo(field?: keyof T & string): void;
  /** Chooses what somebody else made of a field. */
  takeTheirs(field: keyof T & string): void;
  /** Chooses one's own; the next `keep` puts it in the place of theirs. */
  keepMine(field: keyof T & string): void;
}

/**
 * Fields of a record that are changed in place. What others change meanwhile shows at once, except in fields one is at
 * work on; if both changed one, both are shown and nothing typed is lost.
 * @param read the record as it was read last; null while it was not
 * @param empty the fields that every such record has, and what stands in them until then
 * @param save hands the change over, and may tell what was made of it; a 409 with what stands there now makes the person choose
 */
export function useRecord<T extends object>(
  read: () => T | null,
  empty: T,
  save: (change: RecordChange<T>) => Promise<T | void>,
): RecordForm<T> {
  type Field = keyof T & string;
  const copy = <V>(value: V): V => JSON.parse(JSON.stringify(value)) as V;
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  const form = reactive(copy(empty)) as T;
  const before = reactive(copy(empty)) as T;
  const theirs = ref({}) as Ref<Partial<T>>;
  const errors = ref<Partial<Record<string, string>>>({});
  const problem = ref('');
  const busy = ref(false);
  const fields = () => Object.keys(before) as Field[];
  const changed = computed(() => fields().filter((field) => !same(form[field], before[field])));
  const put = (field: Field, value: T[Field]) => {
    form[field] = copy(value);
    before[field] = copy(value);
  };
  const drop = (field: Field) => {
    delete form[field];
    delete before[field];
  };
  const settle = (field: Field) => {
    const others = { ...theirs.value };
    delete others[field];
    theirs.value = others;
  };

  watch(
    read,
    (record) => {
      if (!record) return;
      // Of those that come and go, such as the firm's own, only what is there now.
      for (const field of fields()) if (!(field in record)) drop(field);
      for (const field of Object.keys(record) as Field[])
        if (!changed.value.includes(field)) put(field, record[field]);
    },
    { immediate: true },
  );

  async function keep(): Promise<boolean> {
    errors.value = {};
    problem.value = '';
    const sent = [...changed.value];
    if (!sent.length) return true;
    const pick = (from: T) =>
      Object.fromEntries(sent.map((field) => [field, copy(from[field])])) as Partial<T>;
    const change = { before: pick(before), after: pick(form) };
    busy.value = true;
    try {
      const made = await save(change);
      for (const field of sent) {
        // What was typed on while it was being kept stays on the screen.
        const typedOn = !same(form[field], change.after[field]);
        if (made && !typedOn) put(field, made[field]);
        else before[field] = copy((made ?? change.after)[field] as T[Field]);
      }
      theirs.value = {};
      return true;
    } catch (error) {
      refused(error);
      return false;
    } finally {
      busy.value = false;
    }
  }

  function refused(error: unknown): void {
    if (error instanceof ApiProblem && error.now) theirs.value = error.now as Partial<T>;
    // Of a field within another, the outer one stands on the screen.
    const field = error instanceof ApiProblem ? (error.field ?? '').replace(/^(?:before|after)\./, '') : '';
    const outer = field.split('.')[0] ?? '';
    if (!(error instanceof ApiProblem && error.now) && fields().includes(outer as Field))
      errors.value = { [outer]: wordsOf(error) };
    else problem.value = wordsOf(error);
  }

  return {
    form,
    changed,
    theirs,
    errorOf: (field) => [errors.value[field] ?? []].flat(),
    problem,
    busy,
    keep,
    undo: (only) => {
      for (const field of only ? [only] : fields()) {
        form[field] = copy(before[field]);
        settle(field);
      }
      errors.value = {};
      problem.value = '';
    },
    takeTheirs: (field) => {
      put(field, theirs.value[field] as T[Field]);
      settle(field);
      problem.value = '';
    },
    keepMine: (field) => {
      before[field] = copy(theirs.value[field] as T[Field]);
      settle(field);
      problem.value = '';
    },
  };
}
