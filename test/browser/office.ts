import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import axe from 'axe-core';
import { expect } from 'chai';
import { chromium, type BrowserContext, type Page } from 'playwright-core';
import { DEMO_PASSWORD } from '../../demo/load.ts';
import type { Config } from '../../server/foundation/config.ts';
import { startServer, type RunningServer } from '../../server/server.ts';
import { openFirm, type FirmOptions, type TestFirm } from '../server/helpers.ts';

/** A whole office: firm, outside world, server with its workers, and a browser signed in. */
export interface BrowserOffice {
  firm: TestFirm;
  page: Page;
  address: string;
  close(): Promise<void>;
}

const FLAGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** Pages that are open, so that a test that fails can tell what they showed. */
const showing = new Set<Page>();

afterEach(async function () {
  if (this.currentTest?.state !== 'failed') return;
  for (const page of showing) {
    const words = await page
      .locator('body')
      .innerText({ timeout: 2_000 })
      .catch((error: unknown) => String(error));
    process.stdout.write(`      at ${page.url()} the screen showed:\n${words.slice(0, 3_000)}\n`);
  }
});

/** A browser of its own, with an empty profile. */
export async function openBrowser(): Promise<{ page: Page; close(): Promise<void> }> {
  const profile = mkdtempSync(join(tmpdir(), 'patient-clerk-browser-'));
  const browser: BrowserContext = await chromium.launchPersistentContext(profile, {
    executablePath: '/usr/bin/chromium',
    headless: true,
    viewport: { width: 1280, height: 800 },
    args: FLAGS,
  });
  browser.setDefaultTimeout(20_000);
  const page = browser.pages()[0] ?? (await browser.newPage());
  showing.add(page);
  return {
    page,
    close: async () => {
      showing.delete(page);
      await browser.close();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}

/** @param config what is different for this server */
export async function openOffice(
  options: FirmOptions = {},
  config: Partial<Config> = {},
): Promise<BrowserOffice> {
  const firm = await openFirm(options);
  const server: RunningServer = await startServer({ ...firm.config, workers: true, ...config }, 'silent');
  const { page, close } = await openBrowser();
  return {
    firm,
    page,
    address: `http://127.0.0.1:${server.port}`,
    close: async () => {
      await close();
      await server.stop();
      await firm.close();
    },
  };
}

export async function signIn({ page, address }: BrowserOffice, name = 'maren.okell'): Promise<void> {
  await page.goto(`${address}/sign-in`);
  const email = page.getByLabel('Email address');
  // The screen puts the cursor there itself, a moment after it shows.
  await email.and(page.locator(':focus')).waitFor();
  await email.fill(`${name}@quillhurst.example`);
  await page.getByLabel('Password').fill(DEMO_PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { name: /^Good / }).waitFor();
}

const RULES = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

/**
 * axe finds nothing serious or critical on the page as it is. Frames are left out: they show other
 * people's messages, in a sandbox that runs no scripts, axe's included.
 */
export async function accessible(page: Page, what: string): Promise<void> {
  // What is still fading in has not its colours yet.
  await page.evaluate(() =>
    Promise.all(
      document
        .getAnimations()
        .filter(({ effect }) => effect?.getTiming().iterations !== Infinity)
        .map(({ finished }) => finished.catch(() => undefined)),
    ),
  );
  // The wheel scrolls lists, not the window, wherever there is the rail.
  const beyond = await page.evaluate(() =>
    document.querySelector('nav')
      ? document.documentElement.scrollHeight - document.documentElement.clientHeight
      : 0,
  );
  expect(beyond, `${what}: so far the window can be scrolled`).to.equal(0);
  await page.evaluate(axe.source);
  const violations = await page.evaluate(async (tags) => {
    const checker = (globalThis as unknown as { axe: typeof axe }).axe;
    const found = await checker.run(document, { iframes: false, runOnly: { type: 'tag', values: tags } });
    return found.violations
      .filter((violation) => ['serious', 'critical'].includes(violation.impact ?? ''))
      .map(
        (violation) =>
          `${violation.id}: ${violation.nodes
            .map((node) => `${node.target.join(' ')} ${node.any[0]?.message ?? ''}`)
            .slice(0, 3)
            .join(' | ')}`,
      );
  }, RULES);
  expect(violations, `axe on ${what}`).to.deep.equal([]);
}
