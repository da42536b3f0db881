import type { Folder, KeptMessage } from '../store.ts';
import { inSet, parseImapDate, parseSet, textOf, type Token } from './syntax.ts';

type Test = (message: KeptMessage, sequence: number) => boolean;

interface Cursor {
  folder: Folder;
  view: readonly number[];
  tokens: readonly Token[];
  at: number;
  modseq: boolean;
}

/** SEARCH (RFC 3501 section 6.4.4, MODSEQ of RFC 7162): the UIDs found, and the highest mod-sequence when asked by it. */
export function search(
  folder: Folder,
  view: readonly number[],
  tokens: readonly Token[],
): { uids: number[]; modseq: number | null } {
  const cursor: Cursor = { folder, view, tokens, at: 0, modseq: false };
  const tests: Test[] = [];
  while (cursor.at < tokens.length) tests.push(key(cursor));
  const found = view
    .map((uid, index) => ({ message: folder.find(uid), sequence: index + 1 }))
    .filter(({ message, sequence }) => message && tests.every((test) => test(message, sequence)));
  const modseqs = found.map(({ message }) => message?.modseq ?? 0);
  return {
    uids: found.map(({ message }) => message?.uid ?? 0),
    modseq: cursor.modseq && modseqs.length ? modseqs.reduce((a, b) => Math.max(a, b), 0) : null,
  };
}

const FLAGS: Record<string, [string, boolean]> = {
  SEEN: ['\\Seen', true],
  UNSEEN: ['\\Seen', false],
  DELETED: ['\\Deleted', true],
  UNDELETED: ['\\Deleted', false],
  FLAGGED: ['\\Flagged', true],
  UNFLAGGED: ['\\Flagged', false],
  ANSWERED: ['\\Answered', true],
  UNANSWERED: ['\\Answered', false],
  DRAFT: ['\\Draft', true],
  UNDRAFT: ['\\Draft', false],
};

function next(cursor: Cursor): string {
  return textOf(cursor.tokens[cursor.at++]);
}

function key(cursor: Cursor): Test {
  const token = cursor.tokens[cursor.at++];
  if (token && 'list' in token) {
    const inner: Cursor = { ...cursor, tokens: token.list, at: 0 };
    const tests: Test[] = [];
    while (inner.at < token.list.length) tests.push(key(inner));
    return (message, sequence) => tests.every((test) => test(message, sequence));
  }
  const name = textOf(token).toUpperCase();
  const flag = FLAGS[name];
  if (flag) return (message) => message.flags.has(flag[0]) === flag[1];
  switch (name) {
    case 'ALL':
      return () => true;
    case 'NOT': {
      const test = key(cursor);
      return (message, sequence) => !test(message, sequence);
    }
    case 'OR': {
      const a = key(cursor);
      const b = key(cursor);
      return (message, sequence) => a(message, sequence) || b(message, sequence);
    }
    case 'UID': {
      const ranges = parseSet(next(cursor), cursor.view.at(-1) ?? 0);
      return (message) => inSet(ranges, message.uid);
    }
    case 'MODSEQ': {
      cursor.modseq = true;
      const least = Number(next(cursor));
      return (message) => message.modseq >= least;
    }
    case 'SINCE':
    case 'SENTSINCE': {
      const date = parseImapDate(next(cursor));
      return (message) => !date || message.internalDate >= date;
    }
    case 'BEFORE':
    case 'SENTBEFORE': {
      const date = parseImapDate(next(cursor));
      return (message) => !date || message.internalDate < date;
    }
    case 'LARGER': {
      const size = Number(next(cursor));
      return (message) => message.size > size;
    }
    case 'HEADER':
      return header(cursor, next(cursor), next(cursor));
    case 'SUBJECT':
    case 'FROM':
    case 'TO':
    case 'CC':
      return header(cursor, name, next(cursor));
    case 'TEXT':
    case 'BODY': {
      const words = next(cursor).toLowerCase();
      return (message) => cursor.folder.read(message).toString('utf8').toLowerCase().includes(words);
    }
    case 'CHARSET':
      cursor.at++;
      return () => true;
    default: {
      if (!/^[\d:,*]+$/.test(name)) throw new Error(`${name} cannot be searched for here`);
      const ranges = parseSet(name, cursor.view.length);
      return (_message, sequence) => inSet(ranges, sequence);
    }
  }
}

function header(cursor: Cursor, name: string, value: string): Test {
  if (name.toLowerCase() === 'message-id') {
    const uids = new Set(cursor.folder.withMessageId(value.replace(/^<|>$/g, '')));
    return (message) => uids.has(message.uid);
  }
  const wanted = value.toLowerCase();
  const line = new RegExp(`^${name.replace(/[^\w-]/g, '')}:([^\r\n]*(?:\r?\n[ \t][^\r\n]*)*)`, 'im');
  return (message) => {
    const head =
      cursor.folder
        .read(message, 0, 65_536)
        .toString('utf8')
        .split(/\r?\n\r?\n/)[0] ?? '';
    return (line.exec(head)?.[1] ?? '').toLowerCase().includes(wanted);
  };
}
