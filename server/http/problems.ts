import type { NextFunction, Request, Response } from 'express';
import type { Logger } from 'pino';
import { z } from 'zod';
import { errorForLog, isAway, perhapsDone } from '../foundation/database.ts';
import { Refusal } from '../foundation/refusal.ts';

/** What is told of a fault that is ours to mend: above all whether anything may have been done. */
function ownFault(error: unknown, method: string): [status: number, message: string] {
  const asked = method === 'GET';
  if (perhapsDone(error) || (isAway(error) && !asked))
    return [
      503,
      'Our database was lost while this was being kept. It may have been done: look before you do it again.',
    ];
  if (isAway(error)) return [503, 'Our database does not answer at the moment. Please try again shortly.'];
  return [500, 'Something went wrong here. Nothing was lost; please try again.'];
}

/** Answers every error as a Problem; what is ours to mend is logged and not shown. */
export function problems(log: Logger) {
  return (error: unknown, req: Request, res: Response, next: NextFunction): void => {
    if (res.headersSent) return next(error);
    if (error instanceof Refusal) {
      const { message, field, now } = error;
      res.status(error.status).json({ message, field, ...(now ? { now } : {}) });
    } else if (error instanceof z.ZodError) {
      const issue = error.issues[0];
      const field = issue?.path.join('.') || null;
      res.status(400).json({
        message: issue
          ? field && !issue.message.endsWith('.')
            ? `${field}: ${issue.message}.`
            : issue.message
          : 'That cannot be read.',
        field,
      });
    } else if ((error as { type?: string }).type === 'entity.too.large') {
      res.status(413).json({ message: 'That is too large.', field: null });
    } else if ((error instanceof SyntaxError && 'body' in error) || error instanceof URIError) {
      res.status(400).json({ message: 'That cannot be read.', field: null });
    } else {
      log.error({ path: req.path, error: errorForLog(error) }, 'request failed');
      const [status, message] = ownFault(error, req.method);
      res.status(status).json({ message, field: null });
    }
  };
}
