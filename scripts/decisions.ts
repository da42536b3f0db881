import { readFileSync } from 'node:fs';
import { join } from 'node:path';

const quote = (field: string) => (/[",\r\n]/.test(field) ? `"${field.replaceAll('"', '""')}"` : field);

/** A decision as a corpus's scorer reads it. */
export interface DecisionRow {
  messageId: string;
  mailbox: string;
  outcome: 'auto' | 'suggest' | 'none';
  files: readonly string[];
  candidates: readonly string[];
  /** In microseconds. */
  micros: number;
}

/** Decisions as CSV (RFC 4180), with a header. */
export function decisionsCsv(rows: readonly DecisionRow[]): string {
  const lines = rows.map((row) =>
    [
      row.messageId,
      row.mailbox,
      row.outcome,
      row.files.join(';'),
      row.candidates.join(';'),
      String(Math.round(row.micros)),
    ]
      .map(quote)
      .join(','),
  );
  return `${['message_id,mailbox,decision,files,candidates,micros', ...lines].join('\r\n')}\r\n`;
}

/** The true files of each message of a corpus, in order. */
export function readTruth(folder: string): string[][] {
  return readFileSync(join(folder, 'truth.csv'), 'utf8')
    .split(/\r?\n/)
    .slice(1)
    .filter(Boolean)
    .map((line) => (splitRow(line)[2] ?? '').split(';').filter(Boolean));
}

/** Splits one CSV row (RFC 4180) whose fields hold no line breaks. */
function splitRow(line: string): string[] {
  return Array.from(
    line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^,]*))/g),
    (match) => match[1]?.replaceAll('""', '"') ?? match[2] ?? '',
  );
}
