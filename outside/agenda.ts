import { appendFileSync, existsSync, readFileSync } from 'node:fs';

/** Something a correspondent will do. */
export interface Deed {
  id: string;
  /** Milliseconds since 1970. */
  at: number;
  kind: 'answer' | 'out-of-office' | 'report' | 'open' | 'follow';
  uid: number;
  recipient: string;
}

type Line = { due: Deed } | { done: string };

/** What is still to be done, kept in a journal so that a restart forgets nothing and repeats nothing. */
export class Agenda {
  private readonly deeds = new Map<string, Deed>();
  private timer: NodeJS.Timeout | null = null;

  constructor(
    private readonly path: string,
    private readonly act: (deed: Deed) => Promise<void>,
  ) {
    if (existsSync(path)) for (const line of readFileSync(path, 'utf8').split('\n')) this.replay(line);
    this.wake();
  }

  private replay(line: string): void {
    if (!line.endsWith('}')) return;
    const entry = JSON.parse(line) as Line;
    if ('due' in entry) this.deeds.set(entry.due.id, entry.due);
    else this.deeds.delete(entry.done);
  }

  add(deed: Deed): void {
    this.deeds.set(deed.id, deed);
    this.write({ due: deed });
    this.wake();
  }

  /** Lets waiting deeds come sooner or later by this factor, after the clock's speed changed. */
  rescale(factor: number): void {
    const now = Date.now();
    for (const deed of this.deeds.values()) {
      if (deed.at > now) deed.at = now + (deed.at - now) * factor;
    }
    this.wake();
  }

  get waiting(): number {
    return this.deeds.size;
  }

  private write(line: Line): void {
    appendFileSync(this.path, `${JSON.stringify(line)}\n`);
  }

  private wake(): void {
    if (this.timer) clearTimeout(this.timer);
    const next = Math.min(...[...this.deeds.values()].map((deed) => deed.at));
    if (!Number.isFinite(next)) return;
    this.timer = setTimeout(() => void this.run(), Math.min(Math.max(0, next - Date.now()), 60_000));
  }

  private async run(): Promise<void> {
    const now = Date.now();
    const due = [...this.deeds.values()].filter((deed) => deed.at <= now).sort((a, b) => a.at - b.at);
    for (const deed of due) {
      this.deeds.delete(deed.id);
      this.write({ done: deed.id });
      await this.act(deed);
    }
    this.wake();
  }

  stop(): void {
    if (this.timer) clearTimeout(this.timer);
    this.deeds.clear();
  }
}
