import type { Component } from 'vue';
import type { SelectionFields } from '../../contract/index.ts';
import type { Criterion, CriterionOf, Field } from '../../core/selection/tree.ts';
import Choices from './controls/Choices.vue';
import Having from './controls/Having.vue';
import Interest from './controls/Interest.vue';
import Measure from './controls/Measure.vue';
import Words from './controls/Words.vue';

/** How one field's criterion is shown and changed. */
interface Editor<C extends Criterion> {
  /** What the line is headed by. */
  name(criterion: C, fields: SelectionFields | null): string;
  /** What may be added, each with the criterion it begins as. */
  begin(fields: SelectionFields | null): { title: string; criterion: C }[];
  /** Takes the criterion as its model, and `fields`. */
  control: Component;
}

/** An editor for each field: one that core and SQL know and nobody can change does not compile. */
export const EDITORS: { [F in Field]: Editor<CriterionOf<F>> } = {
  status: {
    name: () => 'Status',
    begin: () => [{ title: 'Status', criterion: { field: 'status', values: ['active'] } }],
    control: Choices,
  },
  adviser: {
    name: () => 'Adviser',
    begin: () => [{ title: 'Adviser', criterion: { field: 'adviser', values: [] } }],
    control: Choices,
  },
  service: {
    name: () => 'Service',
    begin: () => [{ title: 'Service', criterion: { field: 'service', values: [] } }],
    control: Choices,
  },
  number: {
    name: ({ fieldId }, fields) => fields?.numbers.find(({ id }) => id === fieldId)?.label ?? 'Number',
    begin: (fields) =>
      (fields?.numbers ?? []).map(({ id, label }) => ({
        title: label,
        criterion: { field: 'number', fieldId: id, test: 'at least', value: 0 },
      })),
    control: Measure,
  },
  interest: {
    name: () => 'Interest',
    begin: (fields) =>
      (fields?.interests ?? []).slice(0, 1).map(({ id }) => ({
        title: 'Interest',
        criterion: { field: 'interest', interestId: id, has: true },
      })),
    control: Interest,
  },
  email: {
    name: () => 'Email address',
    begin: () => [{ title: 'Has an email address', criterion: { field: 'email', has: true } }],
    control: Having,
  },
  words: {
    name: () => 'Words',
    begin: () => [{ title: 'Words in name, place or people', criterion: { field: 'words', text: '' } }],
    control: Words,
  },
};

/** The editor of a criterion. */
export function editorOf(criterion: Criterion): Editor<Criterion> {
  // The editor is the field's own; that they belong together is more than the compiler follows.
  return EDITORS[criterion.field] as unknown as Editor<Criterion>;
}
