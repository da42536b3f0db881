import { computed, ref, watch, type ComputedRef, type Ref } from 'vue';
import { ColumnsOf, type ShownList } from '../../contract/index.ts';
import { factsAbout, type SelectableFact } from '../../core/selection/catalogue.ts';
import type { Subject } from '../../core/selection/tree.ts';
import { act, get, wordsOf } from '../api.ts';
import { useCatalogue } from './catalogue.ts';

/** What each list shows to whoever has not chosen. */
const USUAL: Record<Subject, string[]> = {
  client: ['client.name', 'client.place', 'client.adviser', 'client.service', 'client.written'],
  person: ['person.lastName', 'person.firstName', 'person.addresses', 'person.title'],
  file: ['file.number', 'file.title', 'file.adviser', 'file.stage', 'file.opened'],
};
/** The column that names the record: it stays, and leads to it. */
export const NAMING: Record<Subject, string> = {
  client: 'client.name',
  person: 'person.lastName',
  file: 'file.number',
};
const LISTS: Record<Subject, ShownList> = { client: 'clients', person: 'people', file: 'files' };

/** What the list of clients shows to whoever has not chosen. */
const REGISTER = [
  'client.name',
  'client.place',
  'client.adviser',
  'client.service',
  'client.openFiles',
  'client.spoken',
];

/**
 * The columns of a list, remembered for whoever is signed in.
 * @param list another list than that of selections
 */
export function useColumns(
  subject: Ref<Subject>,
  list?: 'register',
): {
  columns: Ref<string[]>;
  shown: ComputedRef<SelectableFact[]>;
  offered: ComputedRef<SelectableFact[]>;
  choose(columns: string[] | null): void;
  /** Why they could not be remembered, in words. */
  problem: Ref<string>;
} {
  const catalogue = useCatalogue();
  const problem = ref('');
  const usual = (of: Subject) => (list ? REGISTER : USUAL[of]);
  const nameOf = (of: Subject) => list ?? LISTS[of];
  const columns = ref<string[]>(usual(subject.value));
  watch(
    subject,
    async (now) => {
      const kept = await get(ColumnsOf, `/columns/${nameOf(now)}`).catch(() => null);
      if (subject.value === now) columns.value = kept?.columns ?? usual(now);
    },
    { immediate: true },
  );
  // Words are looked for in several places, and shown in none.
  const offered = computed(() =>
    factsAbout(catalogue.facts, subject.value).filter(({ key, gone }) => !gone && key !== 'client.words'),
  );
  // A field that was taken away since is left out.
  const shown = computed(() =>
    columns.value.flatMap((key) => offered.value.find((fact) => fact.key === key) ?? []),
  );
  function choose(wanted: string[] | null) {
    columns.value = wanted ?? usual(subject.value);
    act('PUT', `/columns/${nameOf(subject.value)}`, { columns: wanted })
      .then(() => (problem.value = ''))
      .catch((error: unknown) => (problem.value = wordsOf(error)));
  }
  return { columns, shown, offered, choose, problem };
}
