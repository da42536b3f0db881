import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { WorldSettings } from '../../outside/settings.ts';
import { World } from '../../outside/world.ts';

const US = 'fred@firm.example';
const SETTINGS: WorldSettings = {
  seed: 'imap',
  firmDomain: 'firm.example',
  accounts: [{ address: US, name: 'Fred', password: 'blurdybloop' }],
  correspondents: [],
  answerShare: 0,
};

/** Speaks to the exchange line by line, as the examples of the standards do. */
class Talk {
  private said = '';
  private constructor(private readonly socket: Socket) {
    socket.on('data', (chunk: Buffer) => (this.said += chunk.toString('latin1')));
  }

  static async open(port: number): Promise<Talk> {
    const socket = connect(port, '127.0.0.1');
    const talk = new Talk(socket);
    await talk.until(/^\* OK/m);
    return talk;
  }

  /** Says a command and returns every line up to its tagged answer. */
  async say(command: string): Promise<string[]> {
    this.said = '';
    this.socket.write(`${command}\r\n`);
    const [tag = ''] = command.split(' ');
    await this.until(new RegExp(`^${tag} (?:OK|NO|BAD)[^\\r]*\\r\\n`, 'm'));
    return this.said.trim().split('\r\n');
  }

  async until(pattern: RegExp): Promise<void> {
    for (let tries = 0; tries < 400 && !pattern.test(this.said); tries++)
      await new Promise((resolve) => setTimeout(resolve, 5));
    if (!pattern.test(this.said)) throw new Error(`waited in vain for ${pattern} in ${this.said}`);
  }

  close(): void {
    this.socket.destroy();
  }
}

/** The exchange is only worth testing against if it speaks the protocol: the shapes of the standards' own examples. */
describe('IMAP as its standards show it', () => {
  let dir: string;
  let world: World;
  let talk: Talk;
  before(async () => {
    dir = mkdtempSync(join(tmpdir(), 'patient-clerk-imap-'));
    writeFileSync(join(dir, 'world.json'), JSON.stringify(SETTINGS));
    world = await World.open({ dir, imapPort: 0, smtpPort: 0, speed: 1 });
    const inbox = world.account(US)!.folder('INBOX')!;
    for (let index = 1; index <= 5; index++)
      inbox.append(
        Buffer.from(`Subject: ${index}\r\nMessage-ID: <m${index}@x.example>\r\n\r\nbody ${index}\r\n`),
        [],
        new Date(),
      );
    world.account(US)!.create('funny');
    talk = await Talk.open(world.imapPort);
    await talk.say(`a001 LOGIN ${US} blurdybloop`);
  });
  after(async () => {
    talk.close();
    await world.close();
    rmSync(dir, { recursive: true, force: true });
  });

  it('RFC 3501 section 6.3.1 and RFC 9051: SELECT tells what a client must know', async () => {
    const lines = await talk.say('A142 SELECT INBOX');
    expect(lines).to.include('* 5 EXISTS');
    for (const pattern of [
      /^\* FLAGS \(/,
      /^\* OK \[UIDVALIDITY \d+\]/,
      /^\* OK \[UIDNEXT 6\]/,
      /^\* OK \[PERMANENTFLAGS \(/,
    ])
      expect(
        lines.some((line) => pattern.test(line)),
        String(pattern),
      ).to.equal(true);
    expect(lines.at(-1)).to.match(/^A142 OK \[READ-WRITE\]/);
  });

  it('RFC 3501 section 6.4.6: STORE answers with the new flags', async () => {
    const lines = await talk.say('A003 STORE 2:4 +FLAGS (\\Deleted)');
    expect(lines.slice(0, 3)).to.deep.equal([
      '* 2 FETCH (FLAGS (\\Deleted))',
      '* 3 FETCH (FLAGS (\\Deleted))',
      '* 4 FETCH (FLAGS (\\Deleted))',
    ]);
    await talk.say('A004 STORE 2:4 -FLAGS.SILENT (\\Deleted)');
  });

  it('RFC 3501 section 6.4.8: UID FETCH answers with the UID asked by, and leaves missing ones out', async () => {
    const lines = await talk.say('A999 UID FETCH 4:4827 FLAGS');
    expect(lines.slice(0, 2)).to.deep.equal(['* 4 FETCH (UID 4 FLAGS ())', '* 5 FETCH (UID 5 FLAGS ())']);
    expect(lines.at(-1)).to.match(/^A999 OK/);
  });

  it('RFC 6154 section 5.1: LIST names special uses', async () => {
    const lines = await talk.say('t1 LIST "" "%"');
    for (const [use, path] of [
      ['\\Sent', 'Sent'],
      ['\\Trash', 'Trash'],
      ['\\Drafts', 'Drafts'],
    ])
      expect(
        lines.some((line) => line.includes(String(use)) && line.endsWith(`"${path}"`)),
        String(path),
      ).to.equal(true);
  });

  it('RFC 4315 section 3: COPY tells source and destination UIDs', async () => {
    const lines = await talk.say('A003 UID COPY 2:4 funny');
    expect(lines.at(-1)).to.match(/^A003 OK \[COPYUID \d+ 2:4 1:3\]/);
  });

  it('RFC 4315 section 2.1: UID EXPUNGE takes only what was named', async () => {
    await talk.say('A010 UID STORE 1,5 +FLAGS.SILENT (\\Deleted)');
    const lines = await talk.say('A011 UID EXPUNGE 5:9');
    expect(lines[0]).to.equal('* 5 EXPUNGE');
    await talk.say('A012 UID STORE 1 -FLAGS.SILENT (\\Deleted)');
  });

  it('RFC 6851 section 4.3: MOVE says where to before it says what went', async () => {
    const lines = await talk.say('a UID MOVE 2:3 funny');
    expect(lines[0]).to.match(/^\* OK \[COPYUID \d+ 2:3 4:5\]/);
    expect(lines.slice(1, -1)).to.deep.equal(['* 3 EXPUNGE', '* 2 EXPUNGE']);
    expect(lines.at(-1)).to.match(/^a OK/);
  });

  it('RFC 7162 section 3.1.4.1: FETCH with CHANGEDSINCE tells what changed, with mod-sequences', async () => {
    const status = await talk.say('s STATUS INBOX (HIGHESTMODSEQ)');
    const before = Number(/HIGHESTMODSEQ (\d+)/.exec(status.join(' '))?.[1]);
    await talk.say('s2 UID STORE 4 +FLAGS.SILENT (\\Flagged)');
    const lines = await talk.say(`s100 UID FETCH 1:* (FLAGS MODSEQ) (CHANGEDSINCE ${before})`);
    expect(lines.filter((line) => line.startsWith('* '))).to.deep.equal([
      `* 2 FETCH (UID 4 FLAGS (\\Flagged) MODSEQ (${before + 1}))`,
    ]);
  });

  it('RFC 7162 section 3.2.6: UID FETCH with VANISHED tells what went, once QRESYNC is enabled', async () => {
    expect((await talk.say('e ENABLE QRESYNC'))[0]).to.equal('* ENABLED QRESYNC');
    const status = await talk.say('s STATUS INBOX (HIGHESTMODSEQ)');
    const before = Number(/HIGHESTMODSEQ (\d+)/.exec(status.join(' '))?.[1]);
    const inbox = world.account(US)!.folder('INBOX')!;
    inbox.expunge([4]);
    const lines = await talk.say(`s101 UID FETCH 1:* (FLAGS) (CHANGEDSINCE ${before} VANISHED)`);
    expect(
      lines.some((line) => /^\* VANISHED(?: \(EARLIER\))? 4$/.test(line)),
      lines.join('|'),
    ).to.equal(true);
  });

  it('RFC 3501 section 7.1: says no and bad when it should', async () => {
    expect((await talk.say('n1 SELECT nowhere')).at(-1)).to.match(/^n1 NO/);
    expect((await talk.say('n2 FROBNICATE')).at(-1)).to.match(/^n2 BAD/);
  });
});
