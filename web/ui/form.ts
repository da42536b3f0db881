import { computed, ref, type ComputedRef, type Ref } from 'vue';
import type { z } from 'zod';
import { ApiProblem, wordsOf } from '../api.ts';

export interface Form<S extends z.ZodType> {
  /** What is wrong with a field, for `error-messages`; a field within another is named as `access.imapHost`. */
  errorOf(field: string): string[];
  /** What is wrong with the whole, or with something that has no field on the screen. */
  problem: ComputedRef<string>;
  busy: Ref<boolean>;
  /** Tells what the server refused at the field it is about. */
  refused(error: unknown): void;
  /** Forgets what was wrong. */
  clear(): void;
  /**
   * Checks what was typed by the very schema the server checks it by, and hands it over when nothing is wrong.
   * Nothing typed is lost when it is refused.
   * @param work what it throws is told at the field it is about
   * @returns whether it was done
   */
  submit(value: unknown, work: (value: z.output<S>) => Promise<void>): Promise<boolean>;
}

/**
 * A form whose fields say what the server would.
 * @param fields those on the screen; what is wrong with others is told of the whole
 */
export function useForm<S extends z.ZodType>(schema: S, fields: readonly string[]): Form<S> {
  const errors = ref<Record<string, string>>({});
  const busy = ref(false);
  const whole = (field: string | null) => (field !== null && fields.includes(field) ? field : '');

  function check(value: unknown): z.output<S> | undefined {
    const parsed = schema.safeParse(value);
    errors.value = {};
    if (parsed.success) return parsed.data;
    // Of each field the first that is wrong.
    for (const { path, message } of [...parsed.error.issues].reverse())
      errors.value[whole(path.join('.'))] = message;
    return undefined;
  }

  function refused(error: unknown): void {
    const field = error instanceof ApiProblem ? error.field : null;
    errors.value = { [whole(field)]: wordsOf(error) };
  }

  async function submit(value: unknown, work: (value: z.output<S>) => Promise<void>): Promise<boolean> {
    const checked = check(value);
    if (checked === undefined) return false;
    busy.value = true;
    try {
      await work(checked);
      return true;
    } catch (error) {
      refused(error);
      return false;
    } finally {
      busy.value = false;
    }
  }

  return {
    errorOf: (field) => (errors.value[field] ? [errors.value[field]] : []),
    problem: computed(() => errors.value[''] ?? ''),
    busy,
    refused,
    clear: () => (errors.value = {}),
    submit,
  };
}
