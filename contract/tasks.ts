import { z } from 'zod';
import { Id, Page } from './common.ts';
import { Day } from './office.ts';

/** What is to be done, for whom, by when, and on which record. */
export const TaskFields = z.object({
  words: z.string().trim().min(1, 'Say what is to be done.').max(500, '500 letters at most.'),
  forId: Id,
  dueOn: Day.nullable(),
  clientId: Id.nullable().default(null),
  fileId: Id.nullable().default(null),
  messageId: Id.nullable().default(null),
});
export type TaskFields = z.output<typeof TaskFields>;

export const TaskRow = z.object({
  id: z.number(),
  words: z.string(),
  forId: z.number(),
  for: z.string(),
  dueOn: z.string().nullable(),
  /** Days it is over its day; 0 where it is not. */
  late: z.number(),
  client: z.object({ id: z.number(), name: z.string() }).nullable(),
  file: z.object({ id: z.number(), number: z.string() }).nullable(),
  messageId: z.number().nullable(),
  /** Who or what left it to do. */
  madeBy: z.string(),
  order: z.object({ id: z.number(), name: z.string(), why: z.string() }).nullable(),
  madeAt: z.string(),
  doneAt: z.string().nullable(),
  doneBy: z.string().nullable(),
  version: z.number(),
});
export type TaskRow = z.infer<typeof TaskRow>;
export const TasksPage = z.object({ rows: z.array(TaskRow), total: z.number() });
export type TasksPage = z.infer<typeof TasksPage>;

export const TaskSort = z.enum(['due', 'for', 'client', 'made']);
export type TaskSort = z.infer<typeof TaskSort>;

/** Whose tasks: one's own, everybody's, or those of one client. */
export const TasksQuery = Page.extend({
  whose: z.enum(['mine', 'all']).default('mine'),
  done: z.stringbool().default(false),
  clientId: Id.optional(),
  words: z.string().trim().max(100).default(''),
  sort: TaskSort.default('due'),
  order: z.enum(['asc', 'desc']).default('asc'),
});
export type TasksQuery = z.output<typeof TasksQuery>;

/** Its fields as they are to be; naming the version read keeps two people from overwriting each other. */
export const TaskChange = TaskFields.pick({ words: true, forId: true, dueOn: true }).extend({
  version: z.number().int(),
});
export type TaskChange = z.output<typeof TaskChange>;
export const TaskDone = z.object({ done: z.boolean() });
