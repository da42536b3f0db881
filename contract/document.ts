import { z } from 'zod';
import type { DocNode } from '../core/merge/document.ts';

/** Nodes within each other; a letter has a handful. Deeper ones only exhaust whoever walks through them. */
const DEEPEST = 60;
const MOST_NODES = 20_000;

const Mark = z.object({ type: z.string().max(40), attrs: z.record(z.string(), z.unknown()).optional() });
const Node: z.ZodType<DocNode> = z.lazy(() =>
  z.object({
    type: z.string().max(40),
    attrs: z.record(z.string(), z.unknown()).optional(),
    content: z.array(Node).max(5000).optional(),
    marks: z.array(Mark).max(20).optional(),
    text: z.string().max(200_000).optional(),
  }),
);

/** Whether a value can be walked through at all, found out without walking into it by recursion. */
export function nestedAtMost(value: unknown, deepest: number): boolean {
  let level: unknown[] = [value];
  let nodes = 0;
  for (let depth = 0; level.length; depth++) {
    nodes += level.length;
    if (depth > deepest || nodes > 8 * MOST_NODES) return false;
    level = level.flatMap((each) => (each !== null && typeof each === 'object' ? Object.values(each) : []));
  }
  return true;
}

/** The editor's document tree, from a screen or from outside: checked before anything walks through it. */
export const DocNodeSchema = z
  .unknown()
  .refine((value) => nestedAtMost(value, 2 * DEEPEST), {
    message: 'That text is nested too deeply to be kept.',
    abort: true,
  })
  .pipe(Node) as unknown as z.ZodType<DocNode, DocNode>;

/** A whole document. */
export const Doc = DocNodeSchema.refine(({ type }) => type === 'doc', { message: 'That is no text.' });

/** A picture that is kept here, by the hash of its bytes (SHA-256, hexadecimal). */
export const PictureKept = z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/) });
