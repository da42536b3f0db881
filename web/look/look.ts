import { getDocument, GlobalWorkerOptions, type PDFDocumentProxy } from 'pdfjs-dist';
import PdfWorker from 'pdfjs-dist/build/pdf.worker.min.mjs?worker&inline';
import type { Shown } from './shown.ts';

/*
 * Shows a PDF within a sandboxed frame that has neither our origin nor a network: its bytes are handed in by the page
 * around it, and it says how it went. Pages are drawn as they come into sight.
 */
GlobalWorkerOptions.workerPort = new PdfWorker();
/** So many pages are laid out; further ones are in the file itself. */
const MOST_PAGES = 300;
/** No page is drawn larger, in picture elements. */
const MOST_PIXELS = 12_000_000;

const say = (shown: Shown) => window.parent.postMessage(shown, '*');
const pages = document.getElementById('pages') as HTMLElement;

async function draw(pdf: PDFDocumentProxy, canvas: HTMLCanvasElement): Promise<void> {
  const page = await pdf.getPage(Number(canvas.dataset.page));
  const plain = page.getViewport({ scale: 1 });
  const wanted = (canvas.clientWidth / plain.width) * Math.min(2, window.devicePixelRatio || 1);
  const most = Math.sqrt(MOST_PIXELS / (plain.width * plain.height));
  const viewport = page.getViewport({ scale: Math.min(wanted, most) });
  canvas.width = Math.floor(viewport.width);
  canvas.height = Math.floor(viewport.height);
  await page.render({ canvas, viewport }).promise;
  canvas.dataset.drawn = 'yes';
}

async function show(bytes: ArrayBuffer): Promise<void> {
  const pdf = await getDocument({
    data: bytes,
    isEvalSupported: false,
    enableXfa: false,
    useSystemFonts: true,
  }).promise;
  const first = (await pdf.getPage(1)).getViewport({ scale: 1 });
  const seen = new IntersectionObserver(
    (entries) => {
      for (const { isIntersecting, target } of entries) {
        if (!isIntersecting) continue;
        seen.unobserve(target);
        void draw(pdf, target as HTMLCanvasElement).catch(() => undefined);
      }
    },
    { rootMargin: '600px' },
  );
  for (let number = 1; number <= Math.min(pdf.numPages, MOST_PAGES); number++) {
    const canvas = document.createElement('canvas');
    canvas.dataset.page = String(number);
    canvas.setAttribute('role', 'img');
    canvas.setAttribute('aria-label', `Page ${number} of ${pdf.numPages}`);
    canvas.style.width = 'min(100%, 860px)';
    // Until it is drawn a page is as high as the first.
    canvas.width = Math.round(first.width);
    canvas.height = Math.round(first.height);
    pages.append(canvas);
    seen.observe(canvas);
  }
  say({ shown: true, pages: pdf.numPages });
}

window.addEventListener('message', ({ source, data }: MessageEvent<unknown>) => {
  if (source !== window.parent || !(data instanceof ArrayBuffer)) return;
  pages.replaceChildren();
  show(data).catch((error: unknown) => {
    const locked = error instanceof Error && error.name === 'PasswordException';
    say({ shown: false, why: locked ? 'locked' : 'damaged' });
  });
});
say({ ready: true });
