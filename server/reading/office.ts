import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';

/** Where Debian's packages put it. */
const PROGRAM = '/usr/bin/soffice';
/** What turning some documents into PDFs may cost: seconds of work, bytes of one file, and how long it is waited for, in milliseconds. */
const LIMITS = { work: 100, file: 200 * 1024 * 1024, wait: 100_000 };

/** What to say where it is missing. */
export const WITHOUT_OFFICE =
  'LibreOffice is not installed here: word-processor templates stay .docx, and cannot be printed from here.';

/** Whether word-processor documents can be turned into PDFs here. */
export function hasOffice(): boolean {
  return process.env.WITHOUT_LIBREOFFICE !== '1' && existsSync(PROGRAM);
}

/**
 * Turns word-processor documents into PDFs, by LibreOffice in a process of its own with a profile of its own, which may
 * take so much and no more.
 * @returns each one's PDF, in order; null of what it could not read
 */
export async function pdfsOf(documents: readonly Uint8Array[]): Promise<(Buffer | null)[]> {
  const dir = await mkdtemp(join(tmpdir(), 'patient-clerk-office-'));
  try {
    const names = documents.map((_, at) => String(at + 1));
    await Promise.all(documents.map((content, at) => writeFile(join(dir, `${at + 1}.docx`), content)));
    await convert(
      dir,
      names.map((name) => `${name}.docx`),
    );
    return await Promise.all(names.map((name) => readFile(join(dir, `${name}.pdf`)).catch(() => null)));
  } finally {
    await rm(dir, { recursive: true, force: true });
  }
}

function convert(dir: string, files: readonly string[]): Promise<void> {
  const { work, file, wait } = LIMITS;
  const profile = `-env:UserInstallation=${pathToFileURL(join(dir, 'profile')).href}`;
  const how = ['--headless', '--norestore', '--nolockcheck', profile, '--convert-to', 'pdf', '--outdir', dir];
  const args = [`--cpu=${work}`, `--fsize=${file}`, PROGRAM, ...how, ...files];
  return new Promise((resolve) => {
    // A group of its own: the program starts others.
    const child = spawn('prlimit', args, {
      cwd: dir,
      stdio: 'ignore',
      detached: true,
      env: { PATH: process.env.PATH, HOME: dir, LANG: 'C.UTF-8' },
    });
    const stop = () => {
      try {
        if (child.pid) process.kill(-child.pid, 'SIGKILL');
      } catch {
        // It has ended.
      }
    };
    const timer = setTimeout(stop, wait);
    const end = () => {
      clearTimeout(timer);
      stop();
      resolve();
    };
    child.on('error', end);
    child.on('close', end);
  });
}
