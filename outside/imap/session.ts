import type { Socket } from 'node:net';
import type { Account, Folder, KeptMessage } from '../store.ts';
import { compress, fetchItems, fetchRow } from './fetch.ts';
import { search } from './search.ts';
import { inSet, parseImapDate, parseSet, parseTokens, quoted, textOf, type Token } from './syntax.ts';

/** Extensions offered after LOGIN; tests switch some off to be any plain IMAP4rev1 server. */
export const EXTENSIONS = [
  'IDLE',
  'UIDPLUS',
  'MOVE',
  'SPECIAL-USE',
  'CONDSTORE',
  'QRESYNC',
  'ENABLE',
  'LIST-STATUS',
  'NAMESPACE',
  'ID',
  'UNSELECT',
  'LITERAL+',
] as const;

export interface SessionOptions {
  login(user: string, password: string): Account | null;
  extensions: readonly string[];
  faults: Faults;
}

/** How the exchange misbehaves, for tests; read anew at every command. */
export interface Faults {
  /** Waits so long before each command, in milliseconds. */
  slow?: number;
  /** Cuts the connection within the message that passes so many bytes fetched since this was set. */
  cutAfter?: number;
  /** Leaves so many messages out of what it is asked to fetch with their text. */
  omit?: number;
  /** Refuses commands of these names. */
  refuse?: string[];
  /** Answers to a sign-in. */
  refuseLogin?: string;
  /** After so many milliseconds the exchange itself lays what was sent over it into Sent. */
  filesSent?: number;
}

class Refusal extends Error {
  constructor(
    readonly kind: 'NO' | 'BAD',
    message: string,
  ) {
    super(message);
  }
}

/** One IMAP connection: reads commands, answers, and tells of changes to the selected folder. */
export class ImapSession {
  private account: Account | null = null;
  private folder: Folder | null = null;
  private readOnly = false;
  /** UIDs of the selected folder as this client has been told, in order: its sequence numbers. */
  private view: number[] = [];
  private toldModseq = 0;
  private condstore = false;
  private qresync = false;
  private idleTag: string | null = null;
  private buffer: Buffer = Buffer.alloc(0);
  private pieces: (string | Buffer)[] = [];
  private literal = -1;
  private queue: Promise<void> = Promise.resolve();
  private readonly onChange = () => {
    if (this.idleTag) this.tellChanges(true);
  };

  constructor(
    private readonly socket: Socket,
    private readonly options: SessionOptions,
  ) {
    socket.on('data', (chunk) => this.take(chunk));
    socket.on('close', () => this.unselect());
    socket.on('error', () => socket.destroy());
    this.line(`* OK [CAPABILITY ${this.capability()}] ready`);
  }

  private capability(): string {
    return ['IMAP4rev1', ...this.options.extensions].join(' ');
  }

  private line(text: string): void {
    if (this.socket.writable) this.socket.write(`${text}\r\n`);
  }

  private take(chunk: Buffer): void {
    this.buffer = this.buffer.length ? Buffer.concat([this.buffer, chunk]) : chunk;
    for (;;) {
      if (this.literal >= 0) {
        if (this.buffer.length < this.literal) return;
        this.pieces.push(this.buffer.subarray(0, this.literal));
        this.buffer = this.buffer.subarray(this.literal);
        this.literal = -1;
      }
      const end = this.buffer.indexOf('\r\n');
      if (end < 0) return;
      const text = this.buffer.subarray(0, end).toString('latin1');
      this.buffer = this.buffer.subarray(end + 2);
      this.pieces.push(text);
      const literal = /\{(\d+)(\+?)\}$/.exec(text);
      if (literal) {
        this.literal = Number(literal[1]);
        if (!literal[2]) this.line('+ go on');
        continue;
      }
      const pieces = this.pieces;
      this.pieces = [];
      this.queue = this.queue.then(() => this.command(pieces));
    }
  }

  private async command(pieces: (string | Buffer)[]): Promise<void> {
    const first = String(pieces[0] ?? '');
    if (this.idleTag) {
      const tag = this.idleTag;
      this.idleTag = null;
      return this.line(/^done$/i.test(first) ? `${tag} OK done` : `${tag} BAD DONE was expected`);
    }
    const head = /^(\S+) (?:(UID) )?(\S+) ?/i.exec(first);
    if (!head) return this.line('* BAD a tag and a command were expected');
    const [all, tag = '', uid, name = ''] = head;
    const { faults } = this.options;
    if (faults.slow) await new Promise((resolve) => setTimeout(resolve, faults.slow));
    try {
      if (faults.refuse?.includes(name.toUpperCase())) throw new Refusal('NO', '[UNAVAILABLE] not now');
      const tokens = parseTokens([first.slice(all.length), ...pieces.slice(1)]);
      await this.run(tag, name.toUpperCase(), Boolean(uid), tokens);
    } catch (error) {
      const refusal = error instanceof Refusal ? error : new Refusal('BAD', (error as Error).message);
      this.line(`${tag} ${refusal.kind} ${refusal.message}`);
    }
  }

  private async run(tag: string, name: string, uid: boolean, args: Token[]): Promise<void> {
    const ok = (text: string) => {
      this.tellChanges(uid || !['FETCH', 'STORE', 'SEARCH'].includes(name));
      this.line(`${tag} OK ${text}`);
    };
    switch (name) {
      case 'CAPABILITY':
        this.line(`* CAPABILITY ${this.capability()}`);
        return ok('listed');
      case 'NOOP':
      case 'CHECK':
        return ok('nothing to do');
      case 'ID':
        this.line('* ID ("name" "exchange")');
        return ok('noted');
      case 'LOGOUT':
        this.line('* BYE until next time');
        this.line(`${tag} OK closed`);
        this.socket.end();
        return;
      case 'LOGIN':
        return this.login(tag, args);
      case 'ENABLE':
        return this.enable(
          args.map((token) => textOf(token).toUpperCase()),
          ok,
        );
      default:
        return this.authenticated(tag, name, uid, args, ok);
    }
  }

  private async authenticated(
    tag: string,
    name: string,
    uid: boolean,
    args: Token[],
    ok: (text: string) => void,
  ): Promise<void> {
    const account = this.account;
    if (!account) throw new Refusal('NO', 'log in first');
    switch (name) {
      case 'NAMESPACE':
        this.line('* NAMESPACE (("" "/")) NIL NIL');
        return ok('listed');
      case 'LIST':
      case 'LSUB':
        this.list(account, name, args);
        return ok('listed');
      case 'STATUS':
        this.status(this.named(account, args[0]), args[1]);
        return ok('told');
      case 'CREATE':
        account.create(textOf(args[0]));
        return ok('created');
      case 'RENAME':
        if (!account.rename(textOf(args[0]), textOf(args[1])))
          throw new Refusal('NO', 'that cannot be renamed');
        return ok('renamed');
      case 'DELETE':
        if (!account.remove(textOf(args[0]))) throw new Refusal('NO', 'that folder stays');
        return ok('deleted');
      case 'SUBSCRIBE':
      case 'UNSUBSCRIBE':
        return ok('noted');
      case 'SELECT':
      case 'EXAMINE':
        return this.select(tag, this.named(account, args[0]), name === 'EXAMINE', args[1]);
      case 'APPEND':
        return this.append(this.named(account, args[0]), args.slice(1), ok);
      case 'IDLE':
        this.line('+ waiting');
        this.idleTag = tag;
        this.tellChanges(true);
        return;
      default:
        return this.selected(account, name, uid, args, ok);
    }
  }

  private async selected(
    account: Account,
    name: string,
    uid: boolean,
    args: Token[],
    ok: (text: string) => void,
  ): Promise<void> {
    const folder = this.folder;
    if (!folder) throw new Refusal('BAD', `${name} is not known here, or select a folder first`);
    const messages = () => this.resolve(folder, textOf(args[0]), uid);
    switch (name) {
      case 'CLOSE':
      case 'UNSELECT':
        if (name === 'CLOSE' && !this.readOnly) folder.expunge(this.deleted(folder));
        this.unselect();
        return ok('closed');
      case 'FETCH':
        await this.fetch(folder, messages(), uid, args);
        return ok('fetched');
      case 'SEARCH': {
        const { uids, modseq } = search(folder, this.view, args);
        const found = uid ? uids : uids.map((each) => this.view.indexOf(each) + 1);
        this.line(
          `* SEARCH${found.map((each) => ` ${each}`).join('')}${modseq ? ` (MODSEQ ${modseq})` : ''}`,
        );
        return ok('searched');
      }
      case 'STORE':
        return this.store(folder, messages(), uid, args, ok);
      case 'COPY':
      case 'MOVE':
        return this.copy(folder, messages(), this.named(account, args[1]), name === 'MOVE', ok);
      case 'EXPUNGE': {
        this.writable();
        const among = uid ? new Set(messages().map((message) => message.uid)) : null;
        folder.expunge(this.deleted(folder).filter((each) => !among || among.has(each)));
        return ok('expunged');
      }
      default:
        throw new Refusal('BAD', `${name} is not known here`);
    }
  }

  private enable(wanted: readonly string[], ok: (text: string) => void): void {
    const enabled = wanted.filter(
      (name) => ['CONDSTORE', 'QRESYNC'].includes(name) && this.options.extensions.includes(name),
    );
    if (enabled.length) this.condstore = true;
    if (enabled.includes('QRESYNC')) this.qresync = true;
    this.line(`* ENABLED ${enabled.join(' ')}`.trim());
    ok('enabled');
  }

  private login(tag: string, args: Token[]): void {
    const { refuseLogin } = this.options.faults;
    if (refuseLogin) throw new Refusal('NO', refuseLogin);
    this.account = this.options.login(textOf(args[0]), textOf(args[1]));
    if (!this.account) throw new Refusal('NO', '[AUTHENTICATIONFAILED] the user or the password is wrong');
    this.line(`${tag} OK [CAPABILITY ${this.capability()}] welcome`);
  }

  private named(account: Account, token: Token | undefined): Folder {
    const folder = account.folder(textOf(token));
    if (!folder) throw new Refusal('NO', '[NONEXISTENT] there is no such folder');
    return folder;
  }

  private list(account: Account, name: string, args: Token[]): void {
    const given = args.filter((token) => !('list' in token));
    const returned = this.options.extensions.includes('LIST-STATUS') ? args.at(-1) : undefined;
    const wanted = returned && 'list' in returned ? statusItems(returned.list) : undefined;
    const pattern = textOf(given[0]) + textOf(given[1]);
    if (!pattern) return this.line(`* ${name} (\\Noselect) "/" ""`);
    const matcher = new RegExp(
      `^${pattern
        .replace(/[.+?^${}()|[\]\\]/g, '\\$&')
        .replace(/\*/g, '.*')
        .replace(/%/g, '[^/]*')}$`,
      'i',
    );
    for (const folder of account.all()) {
      if (!matcher.test(folder.path)) continue;
      const use =
        folder.specialUse &&
        folder.specialUse !== '\\Inbox' &&
        this.options.extensions.includes('SPECIAL-USE');
      this.line(
        `* ${name} (\\HasNoChildren${use ? ` ${folder.specialUse}` : ''}) "/" ${quoted(folder.path)}`,
      );
      if (wanted) this.status(folder, wanted);
    }
  }

  private status(folder: Folder, items: Token | undefined): void {
    const values: Record<string, number> = {
      MESSAGES: folder.messages.length,
      RECENT: 0,
      UIDNEXT: folder.uidNext,
      UIDVALIDITY: folder.uidValidity,
      UNSEEN: folder.messages.filter((message) => !message.flags.has('\\Seen')).length,
      HIGHESTMODSEQ: folder.highestModseq,
    };
    const wanted = items && 'list' in items ? items.list.map((token) => textOf(token).toUpperCase()) : [];
    const told = wanted.filter((item) => item in values).map((item) => `${item} ${values[item]}`);
    this.line(`* STATUS ${quoted(folder.path)} (${told.join(' ')})`);
  }

  private select(tag: string, folder: Folder, readOnly: boolean, parameters: Token | undefined): void {
    this.unselect();
    if (parameters) this.condstore = true;
    this.folder = folder;
    this.readOnly = readOnly;
    this.view = folder.messages.map((message) => message.uid);
    this.toldModseq = folder.highestModseq;
    folder.on('change', this.onChange);
    this.line('* FLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft)');
    this.line('* OK [PERMANENTFLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft \\*)] kept');
    this.line(`* ${this.view.length} EXISTS`);
    this.line('* 0 RECENT');
    this.line(`* OK [UIDVALIDITY ${folder.uidValidity}] valid`);
    this.line(`* OK [UIDNEXT ${folder.uidNext}] next`);
    if (this.options.extensions.includes('CONDSTORE'))
      this.line(`* OK [HIGHESTMODSEQ ${folder.highestModseq}] highest`);
    this.line(`${tag} OK [${readOnly ? 'READ-ONLY' : 'READ-WRITE'}] selected`);
  }

  private unselect(): void {
    this.folder?.off('change', this.onChange);
    this.folder = null;
    this.view = [];
  }

  private append(folder: Folder, args: Token[], ok: (text: string) => void): void {
    let flags: string[] = [];
    let date = new Date();
    let raw: Buffer | null = null;
    for (const token of args) {
      if ('list' in token) flags = token.list.map(textOf);
      else if ('string' in token) {
        const given = token === args[args.length - 1] ? null : parseImapDate(textOf(token));
        if (given) date = given;
        else raw = token.string;
      }
    }
    if (!raw) throw new Refusal('BAD', 'a message was expected');
    const kept = folder.append(raw, flags, date);
    ok(
      this.options.extensions.includes('UIDPLUS')
        ? `[APPENDUID ${folder.uidValidity} ${kept.uid}] kept`
        : 'kept',
    );
  }

  /** Messages of the set that the client knows of, by sequence number or UID. */
  private resolve(folder: Folder, set: string, uid: boolean): KeptMessage[] {
    const ranges = parseSet(set, uid ? (this.view.at(-1) ?? 0) : this.view.length);
    const uids = this.view.filter((each, index) => inSet(ranges, uid ? each : index + 1));
    return uids.map((each) => folder.find(each)).filter((message) => message !== undefined);
  }

  private async fetch(folder: Folder, messages: KeptMessage[], uid: boolean, args: Token[]): Promise<void> {
    const items = fetchItems(args[1]);
    if (uid && !items.includes('UID')) items.unshift('UID');
    const since = changedSince(args[2]);
    if (since !== null && this.qresync && wantsVanished(args[2])) {
      const gone = folder.expunged.filter((each) => each.modseq > since).map((each) => each.uid);
      if (gone.length) this.line(`* VANISHED (EARLIER) ${compress(gone)}`);
    }
    const position = new Map(this.view.map((each, index) => [each, index + 1]));
    for (const message of messages) {
      if (since !== null && message.modseq <= since) continue;
      if (
        !this.readOnly &&
        items.some((item) => /^(BODY\[|RFC822$|RFC822\.TEXT)/.test(item)) &&
        !message.flags.has('\\Seen')
      ) {
        folder.setFlags(message, [...message.flags, '\\Seen']);
      }
      if (this.options.faults.omit && items.some((item) => item.startsWith('BODY'))) {
        this.options.faults.omit--;
        continue;
      }
      const row = fetchRow(folder, message, items);
      const head = Buffer.from(`* ${position.get(message.uid)} FETCH `);
      if (this.cut(row.length)) {
        this.socket.write(Buffer.concat([head, row.subarray(0, Math.floor(row.length / 2))]));
        this.socket.destroySoon();
        return;
      }
      if (!this.socket.write(Buffer.concat([head, row, Buffer.from('\r\n')]))) {
        await new Promise<void>((resolve) => {
          const go = () => {
            this.socket.off('drain', go);
            this.socket.off('close', go);
            resolve();
          };
          this.socket.on('drain', go);
          this.socket.on('close', go);
        });
      }
      if (!this.socket.writable) return;
    }
  }

  /** Whether the connection is to break within so many bytes. */
  private cut(bytes: number): boolean {
    const { faults } = this.options;
    if (faults.cutAfter === undefined) return false;
    faults.cutAfter -= bytes;
    if (faults.cutAfter > 0) return false;
    delete faults.cutAfter;
    return true;
  }

  private writable(): void {
    if (this.readOnly) throw new Refusal('NO', 'the folder is open for reading only');
  }

  private store(
    folder: Folder,
    messages: KeptMessage[],
    uid: boolean,
    args: Token[],
    ok: (text: string) => void,
  ): void {
    this.writable();
    const rest = args.slice(1);
    const unchanged =
      rest[0] && 'list' in rest[0] && /UNCHANGEDSINCE/i.test(textOf(rest[0].list[0]))
        ? rest.shift()
        : undefined;
    const limit = unchanged && 'list' in unchanged ? Number(textOf(unchanged.list[1])) : Infinity;
    const what = /^([+-]?)FLAGS(\.SILENT)?$/i.exec(textOf(rest[0]));
    if (!what) throw new Refusal('BAD', 'FLAGS, +FLAGS or -FLAGS was expected');
    const flags = rest[1] && 'list' in rest[1] ? rest[1].list.map(textOf) : rest.slice(1).map(textOf);
    const modified = messages.filter((message) => message.modseq > limit).map((message) => message.uid);
    for (const message of messages) {
      if (message.modseq > limit) continue;
      const set = new Set(what[1] ? message.flags : []);
      for (const flag of flags) {
        if (what[1] === '-') set.delete(flag);
        else set.add(flag);
      }
      folder.setFlags(message, set);
      const modseq = this.condstore ? ` MODSEQ (${message.modseq})` : '';
      if (!what[2])
        this.line(
          `* ${this.view.indexOf(message.uid) + 1} FETCH (${uid ? `UID ${message.uid} ` : ''}FLAGS (${[...set].join(' ')})${modseq})`,
        );
    }
    this.toldModseq = folder.highestModseq;
    ok(modified.length ? `[MODIFIED ${compress(modified)}] some had changed` : 'stored');
  }

  private copy(
    folder: Folder,
    messages: KeptMessage[],
    target: Folder,
    move: boolean,
    ok: (text: string) => void,
  ): void {
    if (move) this.writable();
    const copies = messages.map(
      (message) => target.append(folder.read(message), message.flags, message.internalDate).uid,
    );
    const from = messages.map((message) => message.uid);
    const code =
      this.options.extensions.includes('UIDPLUS') && from.length
        ? `[COPYUID ${target.uidValidity} ${compress(from)} ${compress(copies)}] `
        : '';
    if (!move) return ok(`${code}copied`);
    if (code) this.line(`* OK ${code}moved`);
    folder.expunge(from);
    ok('moved');
  }

  private deleted(folder: Folder): number[] {
    return folder.messages.filter((message) => message.flags.has('\\Deleted')).map((message) => message.uid);
  }

  /** Untagged EXPUNGE, EXISTS and FETCH for what changed since the client was last told. */
  private tellChanges(expunges: boolean): void {
    const folder = this.folder;
    if (!folder) return;
    if (expunges) {
      const gone: number[] = [];
      for (let index = this.view.length - 1; index >= 0; index--) {
        const uid = this.view[index] ?? 0;
        if (folder.find(uid)) continue;
        this.view.splice(index, 1);
        gone.unshift(uid);
        if (!this.qresync) this.line(`* ${index + 1} EXPUNGE`);
      }
      if (this.qresync && gone.length) this.line(`* VANISHED ${compress(gone)}`);
    }
    if (folder.highestModseq <= this.toldModseq) return;
    const greatest = this.view.at(-1) ?? 0;
    for (const [index, uid] of this.view.entries()) {
      const message = folder.find(uid);
      if (message && message.modseq > this.toldModseq) {
        this.line(
          `* ${index + 1} FETCH (UID ${uid} FLAGS (${[...message.flags].join(' ')})${this.condstore ? ` MODSEQ (${message.modseq})` : ''})`,
        );
      }
    }
    const before = this.view.length;
    for (const message of folder.messages) if (message.uid > greatest) this.view.push(message.uid);
    if (this.view.length > before) this.line(`* ${this.view.length} EXISTS`);
    this.toldModseq = folder.highestModseq;
  }
}

/** The items of `RETURN (STATUS (…) …)` (RFC 5819). */
function statusItems(options: readonly Token[]): Token | undefined {
  const at = options.findIndex((token) => !('list' in token) && /^STATUS$/i.test(textOf(token)));
  return at < 0 ? undefined : options[at + 1];
}

function wantsVanished(token: Token | undefined): boolean {
  return Boolean(
    token && 'list' in token && token.list.some((each) => textOf(each).toUpperCase() === 'VANISHED'),
  );
}

function changedSince(token: Token | undefined): number | null {
  if (!token || !('list' in token) || textOf(token.list[0]).toUpperCase() !== 'CHANGEDSINCE') return null;
  return Number(textOf(token.list[1]));
}
