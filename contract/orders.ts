import { z } from 'zod';
import { MOST_STEPS, subjectsOf, type Act, type Told, type When, type Who } from '../core/orders/order.ts';
import { SUBJECTS } from '../core/selection/tree.ts';
import { Id, Page } from './common.ts';
import { FieldChange } from './many.ts';
import { Selection } from './selection.ts';

const Days = z
  .number({ message: 'Say how many days.' })
  .int('Whole days.')
  .min(0, 'Say how many days.')
  .max(1000, 'At most a thousand days.');
const SomeDays = Days.min(1, 'At least a day.');
const Words = z.string().trim().max(100, '100 letters at most.').default('');
const Sentence = z.string().trim().min(1, 'Say what.').max(500, '500 letters at most.');
const Fact = z.string().min(1, 'Choose which field.').max(40);
const SubjectOf = z.enum(SUBJECTS);

const WhenSchema = z.discriminatedUnion('on', [
  z.object({ on: z.enum(['client new', 'person new', 'file opened']) }),
  z.object({
    on: z.literal('becomes'),
    of: SubjectOf,
    fact: Fact,
    value: z.union([z.string().max(200), z.number(), z.boolean(), z.null()]),
  }),
  z.object({
    on: z.literal('day'),
    of: SubjectOf,
    fact: Fact,
    days: Days,
    side: z.enum(['before', 'after']),
    yearly: z.boolean(),
  }),
  z.object({
    on: z.literal('month'),
    day: z.number().int().min(1, 'From 1 to 31.').max(31, 'From 1 to 31.'),
  }),
  z.object({
    on: z.enum(['message comes', 'message leaves', 'document comes', 'document shared']),
    words: Words,
  }),
  z.object({ on: z.enum(['mailing answered', 'mailing opened']), mailingId: Id.nullable() }),
  z.object({
    on: z.enum(['mailing unanswered', 'mailing unopened']),
    mailingId: Id.nullable(),
    days: SomeDays,
  }),
  z.object({ on: z.enum(['answer owed', 'fee note overdue', 'wanted']), days: SomeDays }),
  z.object({ on: z.literal('fee note due'), days: Days }),
  z.object({ on: z.enum(['fee note entered', 'fee note paid', 'meeting over']) }),
]) satisfies z.ZodType<When>;

const WhoSchema = z.union([
  z.enum(['adviser', 'owner']),
  z.number().int().positive(),
]) satisfies z.ZodType<Who>;

const ActSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('message'), wordingId: Id.nullable(), by: WhoSchema }),
  z.object({ do: z.literal('letter'), wordingId: Id.nullable() }),
  z.object({ do: z.literal('mailing'), mailingId: Id }),
  z.object({ do: z.literal('text'), words: Sentence }),
  z.object({ do: z.literal('note'), words: Sentence }),
  z.object({ do: z.literal('task'), words: Sentence, for: WhoSchema, days: Days }),
  z.object({ do: z.literal('tell'), who: WhoSchema, words: Sentence }),
  z.object({ do: z.literal('change'), of: z.enum(['client', 'file']), change: FieldChange }),
]) satisfies z.ZodType<Act>;

const WaitSchema = z.object({ days: Days, working: z.boolean() });

/** What an order says: when, and if, then. */
export const OrderTold = z
  .object({
    when: WhenSchema,
    selection: Selection.nullable(),
    steps: z
      .array(z.object({ wait: WaitSchema, act: ActSchema }))
      .max(MOST_STEPS, `An order has ${MOST_STEPS} steps at most.`),
    stops: z.object({ unfit: z.boolean(), answered: z.boolean() }),
  })
  .superRefine(({ when, selection }, { addIssue }) => {
    if (selection && !subjectsOf(when).includes(selection.subject))
      addIssue({
        code: 'custom',
        path: ['selection'],
        message: 'That cannot be asked of what happens there. Ask it of clients instead.',
      });
  }) satisfies z.ZodType<Told>;
export type OrderTold = z.output<typeof OrderTold>;

export const OrderState = z.enum(['off', 'on', 'paused', 'ended']);
export type OrderState = z.infer<typeof OrderState>;

export const OrderFields = z.object({
  name: z.string().trim().min(1, 'Give it a name.').max(120, '120 letters at most.'),
  ownerId: Id,
  told: OrderTold,
  /** On one day it acts for so many at most; then it asks. */
  mostADay: z.number().int().min(1, 'At least one a day.').max(5000, 'At most 5,000 a day.'),
  /** The same wording reaches the same address again after so many days at the soonest. */
  againAfter: z.number().int().min(0).max(3650, 'At most ten years.'),
});
export type OrderFields = z.output<typeof OrderFields>;
export const OrderSave = OrderFields.extend({ version: z.number().int() });

export const OrderCounts = z.object({
  /** It has acted for so many, in all and in the last 30 days. */
  acted: z.number(),
  lately: z.number(),
  /** For so many further steps are to come. */
  going: z.number(),
  /** So many wait for somebody to say whether it may act for them. */
  held: z.number(),
  /** So many things of it lie prepared. */
  prepared: z.number(),
});

export const OrderRow = z.object({
  id: z.number(),
  name: z.string(),
  sentence: z.string(),
  owner: z.string(),
  state: OrderState,
  sends: z.boolean(),
  counts: OrderCounts,
  actedAt: z.string().nullable(),
});
export type OrderRow = z.infer<typeof OrderRow>;
export const OrdersPage = z.object({ rows: z.array(OrderRow), total: z.number() });
export type OrdersPage = z.infer<typeof OrdersPage>;
export const OrdersQuery = Page.extend({
  state: z.enum(['all', 'on', 'off', 'ended']).default('all'),
  words: z.string().trim().max(100).default(''),
});
export type OrdersQuery = z.output<typeof OrdersQuery>;

export const OrderView = OrderRow.extend({
  ownerId: z.number(),
  told: OrderTold,
  mostADay: z.number(),
  againAfter: z.number(),
  version: z.number(),
  /** Who allowed it to send. */
  sendsBy: z.string().nullable(),
  onSince: z.string().nullable(),
  savedAt: z.string(),
  /** What keeps it from being switched on, in sentences. */
  problems: z.array(z.string()),
  mayChange: z.boolean(),
});
export type OrderView = z.infer<typeof OrderView>;

/** Switched on, paused, gone on with, ended. */
export const OrderTurn = z.object({
  to: z.enum(['on', 'paused', 'ended']),
  /** What becomes of what is under way: it goes on to its end, or stops here. */
  underWay: z.enum(['goes on', 'stops']).default('goes on'),
});
export type OrderTurn = z.output<typeof OrderTurn>;
export const OrderSends = z.object({ sends: z.boolean() });

/** An order that is not kept yet, tried on what has been. */
export const OrderTry = Page.extend({
  told: OrderTold,
  days: z.number().int().min(1).max(365).default(90),
});
export type OrderTry = z.output<typeof OrderTry>;
export const OrderTried = z.object({
  /** So often it would have acted. */
  total: z.number(),
  /** There were more than are looked at. */
  more: z.boolean(),
  /** The most on one day. */
  busiest: z.object({ day: z.string(), count: z.number() }).nullable(),
  rows: z.array(
    z.object({
      at: z.string(),
      clientId: z.number().nullable(),
      client: z.string(),
      /** What happened. */
      why: z.string(),
      /** Of each step, when it would have come. */
      steps: z.array(z.string()),
    }),
  ),
});
export type OrderTried = z.infer<typeof OrderTried>;

export const CourseState = z.enum(['going', 'held', 'done', 'stopped']);
/** What an order has under way, or had, for one of those it is about. */
export const CourseRow = z.object({
  id: z.number(),
  at: z.string(),
  why: z.string(),
  client: z.object({ id: z.number(), name: z.string() }).nullable(),
  file: z.object({ id: z.number(), number: z.string() }).nullable(),
  state: CourseState,
  stoppedWhy: z.string(),
  /** When its next step is due. */
  dueAt: z.string().nullable(),
  acts: z.array(
    z.object({
      at: z.string(),
      words: z.string(),
      state: z.enum(['done', 'prepared', 'left', 'skipped']),
      draftId: z.number().nullable(),
      runId: z.number().nullable(),
      taskId: z.number().nullable(),
    }),
  ),
});
export type CourseRow = z.infer<typeof CourseRow>;
export const CoursesPage = z.object({ rows: z.array(CourseRow), total: z.number() });
export type CoursesPage = z.infer<typeof CoursesPage>;
export const CoursesQuery = Page.extend({
  state: z.enum(['all', 'going', 'held', 'done', 'stopped']).default('all'),
});
export type CoursesQuery = z.output<typeof CoursesQuery>;

/** What becomes of those that wait to be asked about. */
export const HeldTurn = z.object({
  to: z.enum(['begin', 'leave']),
  courseIds: z.array(Id).max(5000).nullable(),
});
export type HeldTurn = z.output<typeof HeldTurn>;

/** What lies prepared by orders, for somebody to release. */
export const PreparedRow = z.object({
  draftId: z.number(),
  order: z.object({ id: z.number(), name: z.string() }),
  why: z.string(),
  at: z.string(),
  client: z.object({ id: z.number(), name: z.string() }).nullable(),
  to: z.string(),
  subject: z.string(),
  by: z.string(),
  mine: z.boolean(),
  version: z.number(),
  /** Why it did not go by itself, or cannot yet. */
  waits: z.string(),
});
export type PreparedRow = z.infer<typeof PreparedRow>;
export const PreparedPage = z.object({ rows: z.array(PreparedRow), total: z.number() });
export type PreparedPage = z.infer<typeof PreparedPage>;
export const PreparedQuery = Page.extend({ whose: z.enum(['mine', 'all']).default('mine') });
export type PreparedQuery = z.output<typeof PreparedQuery>;
/** Those of one's own that are sent off, or thrown away. */
export const PreparedAct = z.object({
  what: z.enum(['send', 'throw away']),
  drafts: z
    .array(z.object({ id: Id, version: z.number().int() }))
    .min(1)
    .max(200),
});
export type PreparedAct = z.output<typeof PreparedAct>;
export const PreparedActed = z.object({
  done: z.number(),
  /** What stays, and why. */
  left: z.array(z.object({ draftId: z.number(), why: z.string() })),
});
export type PreparedActed = z.infer<typeof PreparedActed>;

/** What the sentence of an order can name, with what can be chosen. */
export const OrderChoices = z.object({
  staff: z.array(z.object({ id: z.number(), name: z.string() })),
  templates: z.array(z.object({ id: z.number(), name: z.string(), occasion: z.string().nullable() })),
  mailings: z.array(z.object({ id: z.number(), name: z.string() })),
  /** Fields that may come to be something, or be set; and days that may come near. */
  fields: z.array(
    z.object({
      of: SubjectOf,
      fact: z.string(),
      label: z.string(),
      kind: z.enum(['text', 'number', 'day', 'yes or no', 'choice', 'choices']),
      options: z.array(z.object({ value: z.union([z.string(), z.number()]), title: z.string() })),
      /** An order may set it. */
      settable: z.boolean(),
    }),
  ),
});
export type OrderChoices = z.infer<typeof OrderChoices>;
