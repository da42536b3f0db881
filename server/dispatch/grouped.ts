/** Others are waited for so long, in milliseconds: shorter than a disk takes. */
const GATHER = 2;
/** So many are written together at most. */
const MOST = 200;

/**
 * Writes that must last before anything goes on, of many at once: whoever asks while a write is under way goes into
 * the next one, so that many share one wait for the disk.
 */
export class GroupedWrites<Item, Outcome> {
  private readonly waiting: {
    item: Item;
    resolve: (outcome: Outcome) => void;
    reject: (error: unknown) => void;
  }[] = [];
  private writing = false;

  /** @param write makes some items last, all or none; its outcomes are in their order */
  constructor(private readonly write: (items: readonly Item[]) => Promise<readonly Outcome[]>) {}

  /** @returns the outcome, once it lasts @throws what the write of this item throws, when it is tried by itself */
  ask(item: Item): Promise<Outcome> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ item, resolve, reject });
      if (!this.writing) void this.run();
    });
  }

  private async run(): Promise<void> {
    this.writing = true;
    while (this.waiting.length) {
      await new Promise((resolve) => setTimeout(resolve, GATHER));
      await this.settle(this.waiting.splice(0, MOST));
    }
    this.writing = false;
  }

  private async settle(group: typeof this.waiting): Promise<void> {
    try {
      const outcomes = await this.write(group.map(({ item }) => item));
      for (const [index, { resolve }] of group.entries()) resolve(outcomes[index] as Outcome);
    } catch (error) {
      // One that cannot be written costs the others another try, and no more.
      if (group.length > 1) for (const each of group) await this.settle([each]);
      else group[0]?.reject(error);
    }
  }
}
