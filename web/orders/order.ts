import { computed, inject, provide, type ComputedRef, type InjectionKey } from 'vue';
import { OrderChoices, type OrderFields } from '../../contract/index.ts';
import { dayWords } from '../../core/office/day.ts';
import type { Act, Doing, On, Step, When } from '../../core/orders/order.ts';
import type { OrderNames } from '../../core/orders/sentence.ts';
import type { Subject } from '../../core/selection/tree.ts';
import { useLoad } from '../ui/load.ts';

type Field = OrderChoices['fields'][number];

/** What an order can name, and what is named by number in words. */
export interface Naming {
  choices: ComputedRef<OrderChoices | null>;
  names: ComputedRef<OrderNames>;
  fieldOf(of: Subject, fact: string): Field | undefined;
}
const KEY: InjectionKey<Naming> = Symbol('order naming');
const GONE = '…';

/** Reads what an order can name, for the places of its sentence. */
export function provideNaming(): Naming & { problem: ReturnType<typeof useLoad>['problem'] } {
  const { data, problem } = useLoad(OrderChoices, () => '/orders/choices', {
    concerns: { records: true, mailings: true },
  });
  const fieldOf = (of: Subject, fact: string) =>
    data.value?.fields.find((each) => each.of === of && each.fact === fact);
  const named = (rows: readonly { id: number; name: string }[] | undefined, id: number) =>
    rows?.find((row) => row.id === id)?.name ?? GONE;
  const names = computed((): OrderNames => ({
    wording: (id) => named(data.value?.templates, id),
    staff: (id) => named(data.value?.staff, id),
    mailing: (id) => named(data.value?.mailings, id),
    field: (of, fact) => fieldOf(of, fact)?.label ?? GONE,
    value: (of, fact, value) => valueWords(fieldOf(of, fact), value),
  }));
  const naming = { choices: computed(() => data.value), names, fieldOf };
  provide(KEY, naming);
  return { ...naming, problem };
}

export function useNaming(): Naming {
  const naming = inject(KEY);
  if (!naming) throw new Error('the places of an order stand on its page');
  return naming;
}

function valueWords(field: Field | undefined, value: unknown): string {
  if (value === null || value === undefined || value === '') return '';
  if (Array.isArray(value)) return value.map((each) => valueWords(field, each)).join(', ');
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  const option = field?.options.find((each) => each.value === value);
  if (option) return option.title;
  return field?.kind === 'day' && typeof value === 'string' ? dayWords(value) : String(value);
}

/** What each occasion begins with, once it is chosen. */
export function whenOf(on: On, choices: OrderChoices | null): When {
  const field = (kinds: readonly Field['kind'][]) => choices?.fields.find(({ kind }) => kinds.includes(kind));
  switch (on) {
    case 'becomes': {
      const first = choices?.fields.find(({ of, fact }) => of === 'file' && fact === 'stage');
      return {
        on,
        of: first?.of ?? 'client',
        fact: first?.fact ?? 'status',
        value: first?.options[0]?.value ?? null,
      };
    }
    case 'day': {
      const first = field(['day']);
      return {
        on,
        of: first?.of ?? 'file',
        fact: first?.fact ?? 'opened',
        days: 30,
        side: 'before',
        yearly: false,
      };
    }
    case 'month':
      return { on, day: 1 };
    case 'message comes':
    case 'message leaves':
    case 'document comes':
    case 'document shared':
      return { on, words: '' };
    case 'mailing answered':
    case 'mailing opened':
      return { on, mailingId: null };
    case 'mailing unanswered':
    case 'mailing unopened':
      return { on, mailingId: null, days: 7 };
    case 'wanted':
      return { on, days: 7 };
    case 'answer owed':
      return { on, days: 3 };
    case 'fee note overdue':
      return { on, days: 14 };
    case 'fee note due':
      return { on, days: 7 };
    default:
      return { on };
  }
}

/** What each act begins with, once it is chosen. */
export function actOf(what: Doing, choices: OrderChoices | null): Act {
  switch (what) {
    case 'message':
      return { do: what, wordingId: choices?.templates[0]?.id ?? null, by: 'adviser' };
    case 'letter':
      return { do: what, wordingId: choices?.templates[0]?.id ?? null };
    case 'mailing':
      return { do: what, mailingId: choices?.mailings[0]?.id ?? 0 };
    case 'text':
    case 'note':
      return { do: what, words: '' };
    case 'task':
      return { do: what, words: '', for: 'adviser', days: 0 };
    case 'tell':
      return { do: what, who: 'adviser', words: '' };
    case 'change':
      return { do: what, of: 'client', change: { what: 'add tag', value: '' } };
  }
}

export const newStep = (what: Doing, choices: OrderChoices | null, first: boolean): Step => ({
  wait: { days: first ? 0 : 7, working: true },
  act: actOf(what, choices),
});

/** An order that nobody has written yet. */
export const newOrder = (ownerId: number): OrderFields => ({
  name: '',
  ownerId,
  told: {
    when: { on: 'file opened' },
    selection: null,
    steps: [],
    stops: { unfit: true, answered: false },
  },
  mostADay: 25,
  againAfter: 90,
});

export const STATES = { off: 'switched off', on: 'on', paused: 'paused', ended: 'ended' } as const;
