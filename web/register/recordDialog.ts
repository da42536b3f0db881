import { computed, ref, watch, type Ref, type WritableComputedRef } from 'vue';
import type { z } from 'zod';
import type { FieldDefinition } from '../../contract/index.ts';
import { FIELD_LABELS } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import { useRecord, type RecordForm } from '../ui/record.ts';

/** What a dialog shows: a record by its number, one about to be made, or nothing. */
export type Shown = number | 'new' | null;

export interface RecordDialog<T extends object> {
  open: WritableComputedRef<boolean>;
  /** The record as it was read last; null while it was not. */
  known: Ref<T | null>;
  record: RecordForm<T>;
  /** What failed beside the record's own fields, in words. */
  trouble: Ref<string>;
  read(id: number): Promise<void>;
  /** Does something, and tells in words when it fails. @returns whether it was done */
  attempt(work: () => Promise<void>): Promise<boolean>;
}

/** What fields are called, the firm's own among them. */
export function labelsWith(fields: readonly FieldDefinition[]): Record<string, string> {
  return { ...FIELD_LABELS, ...Object.fromEntries(fields.map(({ id, label }) => [`field:${id}`, label])) };
}

/**
 * A record of the register changed in a dialog, or one about to be made there.
 * @param empty the fields that every such record has, and what stands in them until it is read
 * @param begin puts what is to be typed of a new one back to nothing
 * @param also what else is to be read of it
 */
export function useRecordDialog<T extends object>(
  shown: Ref<Shown>,
  schema: z.ZodType,
  path: 'people' | 'files',
  empty: T,
  begin: () => void,
  also: (id: number) => Promise<unknown> = async () => undefined,
): RecordDialog<T> {
  const known = ref(null) as Ref<T | null>;
  const trouble = ref('');
  const open = computed({
    get: () => shown.value !== null,
    set: (now) => {
      if (!now) shown.value = null;
    },
  });
  const record = useRecord<T>(
    () => known.value,
    empty,
    async (change) => {
      known.value = (await send('PUT', schema, `/${path}/${shown.value}`, change)) as T;
      return known.value;
    },
  );
  async function attempt(work: () => Promise<void>): Promise<boolean> {
    trouble.value = '';
    try {
      await work();
      return true;
    } catch (error) {
      trouble.value = wordsOf(error);
      return false;
    }
  }
  const read = async (id: number) => {
    await attempt(async () => {
      const [found] = await Promise.all([get(schema, `/${path}/${id}/record`), also(id)]);
      if (shown.value === id) known.value = found as T;
    });
  };
  watch(
    shown,
    async (now) => {
      trouble.value = '';
      record.undo();
      known.value = null;
      if (now === 'new') begin();
      else if (now !== null) await read(now);
    },
    { immediate: true },
  );
  return { open, known, record, trouble, read, attempt };
}
