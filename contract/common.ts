import { z } from 'zod';

/** A page of a list: `offset` rows are skipped. */
export const Page = z.object({
  offset: z.coerce.number().int().min(0).default(0),
  limit: z.coerce.number().int().min(1).max(200).default(50),
});

/** What every refusal says: a sentence for the person, and the field it is about. */
export const Problem = z.object({
  message: z.string(),
  field: z.string().nullable(),
  /** What stands there now, by field, where somebody else has changed it meanwhile. */
  now: z.record(z.string(), z.unknown()).optional(),
});
export type Problem = z.infer<typeof Problem>;

export const Id = z.coerce.number().int().positive();

export const Role = z.enum(['manager', 'adviser', 'assistant']);
export type Role = z.infer<typeof Role>;

export const StaffMember = z.object({ id: z.number(), name: z.string(), email: z.string(), role: Role });
export type StaffMember = z.infer<typeof StaffMember>;

export const FileRef = z.object({
  id: z.number(),
  number: z.string(),
  title: z.string(),
  clientId: z.number(),
  clientName: z.string(),
  general: z.boolean(),
  closed: z.boolean(),
});
export type FileRef = z.infer<typeof FileRef>;

export const Count = z.object({ count: z.number() });

/** The number of what was just made. */
export const Made = z.object({ id: z.number() });

/** Kinds of what goes to a client, and the ways each may go. */
export const DeliveryKind = z.enum(['letters', 'statements', 'mailings']);
export type DeliveryKind = z.infer<typeof DeliveryKind>;
export const DeliveryWay = z.enum(['email', 'post', 'both', 'none']);
export type DeliveryWay = z.infer<typeof DeliveryWay>;
