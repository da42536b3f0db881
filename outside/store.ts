import {
  closeSync,
  existsSync,
  fstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  renameSync,
  rmSync,
  writeSync,
} from 'node:fs';
import { EventEmitter } from 'node:events';
import { join } from 'node:path';

/** A message kept by the exchange: where its bytes lie, and its IMAP attributes. */
export interface KeptMessage {
  uid: number;
  offset: number;
  size: number;
  flags: Set<string>;
  internalDate: Date;
  modseq: number;
  /** Without angle brackets; empty when the message has none. */
  messageId: string;
}

export type SpecialUse = '\\Inbox' | '\\Sent' | '\\Drafts' | '\\Trash' | '\\Junk' | '\\Archive';

type JournalLine =
  | {
      a: [
        uid: number,
        offset: number,
        size: number,
        date: number,
        flags: string[],
        modseq: number,
        messageId: string,
      ];
    }
  | { f: [uid: number, flags: string[], modseq: number] }
  | { x: [uid: number, modseq: number] };

/**
 * One folder: the bytes of its messages in one growing file, and a journal of what happened to them,
 * read again at the next start. A line cut short by a crash is dropped.
 */
export class Folder extends EventEmitter {
  readonly messages: KeptMessage[] = [];
  private readonly byUid = new Map<number, KeptMessage>();
  private readonly byMessageId = new Map<string, Set<number>>();
  uidNext = 1;
  highestModseq = 1;
  /** What is gone, and at which mod-sequence it went (RFC 7162). */
  readonly expunged: { uid: number; modseq: number }[] = [];
  private readonly data: number;
  private readonly journal: number;
  private end: number;

  constructor(
    public path: string,
    readonly specialUse: SpecialUse | null,
    readonly uidValidity: number,
    dir: string,
    file: string,
  ) {
    super();
    this.setMaxListeners(0);
    this.data = openSync(join(dir, `${file}.dat`), 'a+');
    this.end = fstatSync(this.data).size;
    const journalPath = join(dir, `${file}.jsonl`);
    if (existsSync(journalPath))
      for (const line of readFileSync(journalPath, 'utf8').split('\n')) this.replay(line);
    this.journal = openSync(journalPath, 'a');
  }

  private replay(line: string): void {
    if (!line.endsWith('}')) return;
    const entry = JSON.parse(line) as JournalLine;
    if ('a' in entry) {
      const [uid, offset, size, date, flags, modseq, messageId] = entry.a;
      this.keep({
        uid,
        offset,
        size,
        flags: new Set(flags),
        internalDate: new Date(date),
        modseq,
        messageId,
      });
    } else if ('f' in entry) {
      const message = this.byUid.get(entry.f[0]);
      if (message) Object.assign(message, { flags: new Set(entry.f[1]), modseq: entry.f[2] });
      this.highestModseq = Math.max(this.highestModseq, entry.f[2]);
    } else {
      this.drop(entry.x[0]);
      this.expunged.push({ uid: entry.x[0], modseq: entry.x[1] });
      this.highestModseq = Math.max(this.highestModseq, entry.x[1]);
    }
  }

  private keep(message: KeptMessage): void {
    this.messages.push(message);
    this.byUid.set(message.uid, message);
    if (message.messageId) {
      const uids = this.byMessageId.get(message.messageId) ?? new Set();
      this.byMessageId.set(message.messageId, uids.add(message.uid));
    }
    this.uidNext = message.uid + 1;
    this.highestModseq = Math.max(this.highestModseq, message.modseq);
  }

  private drop(uid: number): void {
    const message = this.byUid.get(uid);
    if (!message) return;
    this.byUid.delete(uid);
    this.messages.splice(this.messages.indexOf(message), 1);
    this.byMessageId.get(message.messageId)?.delete(uid);
  }

  private write(entry: JournalLine): void {
    writeSync(this.journal, `${JSON.stringify(entry)}\n`);
  }

  append(raw: Uint8Array, flags: Iterable<string>, internalDate: Date): KeptMessage {
    writeSync(this.data, raw);
    const messageId = messageIdOf(raw);
    const message = {
      uid: this.uidNext,
      offset: this.end,
      size: raw.length,
      flags: new Set(flags),
      internalDate,
      modseq: this.highestModseq + 1,
      messageId,
    };
    this.end += raw.length;
    this.write({
      a: [
        message.uid,
        message.offset,
        message.size,
        internalDate.getTime(),
        [...message.flags],
        message.modseq,
        messageId,
      ],
    });
    this.keep(message);
    this.emit('change');
    return message;
  }

  find(uid: number): KeptMessage | undefined {
    return this.byUid.get(uid);
  }

  withMessageId(messageId: string): number[] {
    return [...(this.byMessageId.get(messageId) ?? [])];
  }

  read(message: KeptMessage, from = 0, length = message.size): Buffer {
    const size = Math.max(0, Math.min(length, message.size - from));
    const buffer = Buffer.allocUnsafe(size);
    if (size) readSync(this.data, buffer, 0, size, message.offset + from);
    return buffer;
  }

  setFlags(message: KeptMessage, flags: Iterable<string>): void {
    message.flags = new Set(flags);
    message.modseq = ++this.highestModseq;
    this.write({ f: [message.uid, [...message.flags], message.modseq] });
    this.emit('change');
  }

  expunge(uids: Iterable<number>): void {
    for (const uid of uids) {
      if (!this.byUid.has(uid)) continue;
      this.drop(uid);
      this.write({ x: [uid, ++this.highestModseq] });
      this.expunged.push({ uid, modseq: this.highestModseq });
    }
    this.emit('change');
  }

  close(): void {
    closeSync(this.data);
    closeSync(this.journal);
  }
}

function messageIdOf(raw: Uint8Array): string {
  const head = Buffer.from(raw.buffer, raw.byteOffset, Math.min(raw.length, 32_768)).toString('latin1');
  const end = head.search(/\r?\n\r?\n/);
  const unfolded = (end < 0 ? head : head.slice(0, end)).replace(/\r?\n[ \t]+/g, ' ');
  return /^message-id\s*:\s*<([^>]+)>/im.exec(unfolded)?.[1] ?? '';
}

const STANDARD: readonly [string, SpecialUse][] = [
  ['INBOX', '\\Inbox'],
  ['Sent', '\\Sent'],
  ['Drafts', '\\Drafts'],
  ['Archive', '\\Archive'],
  ['Junk', '\\Junk'],
  ['Trash', '\\Trash'],
];

/** One account of the exchange with its folders, kept in a directory of its own. */
export class Account {
  private readonly folders = new Map<string, Folder>();

  constructor(
    readonly address: string,
    readonly password: string,
    private readonly dir: string,
  ) {
    mkdirSync(dir, { recursive: true });
    for (const [path, use] of STANDARD) this.open(path, use);
    for (const name of readdirSync(dir)) {
      const path = decodeURIComponent(name.replace(/\.jsonl$/, ''));
      if (name.endsWith('.jsonl') && !this.folders.has(path)) this.open(path, null);
    }
  }

  private open(path: string, use: SpecialUse | null): Folder {
    const folder = new Folder(
      path,
      use,
      1_700_000_000 + this.folders.size,
      this.dir,
      encodeURIComponent(path),
    );
    this.folders.set(path, folder);
    return folder;
  }

  all(): Folder[] {
    return [...this.folders.values()];
  }

  /** INBOX is found whatever its case (RFC 3501 section 5.1). */
  folder(path: string): Folder | undefined {
    return this.folders.get(path.toUpperCase() === 'INBOX' ? 'INBOX' : path);
  }

  create(path: string): Folder {
    return this.folder(path) ?? this.open(path, null);
  }

  remove(path: string): boolean {
    const folder = this.folders.get(path);
    if (!folder || folder.specialUse) return false;
    folder.close();
    this.folders.delete(path);
    for (const ending of ['dat', 'jsonl'])
      rmSync(join(this.dir, `${encodeURIComponent(path)}.${ending}`), { force: true });
    return true;
  }

  rename(from: string, to: string): boolean {
    const folder = this.folders.get(from);
    if (!folder || folder.specialUse || this.folders.has(to)) return false;
    for (const ending of ['dat', 'jsonl'])
      renameSync(
        join(this.dir, `${encodeURIComponent(from)}.${ending}`),
        join(this.dir, `${encodeURIComponent(to)}.${ending}`),
      );
    this.folders.delete(from);
    this.folders.set(to, folder);
    folder.path = to;
    return true;
  }

  close(): void {
    for (const folder of this.folders.values()) folder.close();
  }
}
