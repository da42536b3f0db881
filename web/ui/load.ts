import { ref, watch, type Ref } from 'vue';
import type { z } from 'zod';
import { get, type Query } from '../api.ts';
import { useLatest } from './latest.ts';
import { MOMENT, useLive, type Concerns } from './live.ts';

/** Where something is read: its path, and what of it. */
export interface Place {
  path: string;
  query?: Query;
}

export interface Loaded<T> {
  /** What was read last; null until then. */
  data: Ref<T | null>;
  /** What went wrong with the newest question, in words; empty when nothing did. */
  problem: Ref<string>;
  /** Whether the newest question is still open. */
  asking: Ref<boolean>;
  /** Reads it again. @returns what was read; undefined when it failed, or something else was asked meanwhile */
  load(): Promise<T | undefined>;
}

/**
 * Reads what a screen shows: at once, whenever what it asks for changes, and when something it shows was changed.
 * A late answer to an older question never takes the place of a newer one's.
 * @param where what to read; null: nothing yet
 * @param concerns which changes it is read again for
 * @param unless while this holds nothing is read again by itself: somebody is at work on what is shown
 * @param moment changes within it count once, in milliseconds
 * @param after so long nothing more must have been asked for, in milliseconds: for what is typed
 */
export function useLoad<S extends z.ZodType>(
  schema: S,
  where: () => Place | string | null,
  {
    concerns = {},
    unless,
    after = 0,
    moment = MOMENT,
  }: { concerns?: Concerns; unless?: () => boolean; after?: number; moment?: number } = {},
): Loaded<z.output<S>> {
  const { ask, asking, problem } = useLatest();
  const data = ref(null) as Ref<z.output<S> | null>;

  async function load(): Promise<z.output<S> | undefined> {
    const place = where();
    if (place === null) return undefined;
    const { path, query } = typeof place === 'string' ? { path: place, query: {} } : place;
    const answer = await ask(() => get(schema, path, query));
    if (answer !== undefined) data.value = answer;
    return answer;
  }

  let waiting: ReturnType<typeof setTimeout> | undefined;
  watch(
    () => JSON.stringify(where()),
    (_now, before) => {
      clearTimeout(waiting);
      // The first is asked for at once, however patient one is with what is typed.
      if (after && before !== undefined) waiting = setTimeout(() => void load(), after);
      else void load();
    },
    { immediate: true },
  );
  useLive(concerns, () => void (unless?.() || load()), moment);
  return { data, problem, asking, load };
}
