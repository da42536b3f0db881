import type { DocNode } from '../merge/document.ts';

/** The fact that stands for the way to somebody's own page. */
export const PAGE_FACT = 'page.link';

/** What stands in a text for the address of its reader's own page, until the message leaves. */
export function pageMark(webBase: string): string {
  return webBase ? `${webBase}/client/own` : '';
}

/** Whether a text has the mark in it, wherever. */
export function hasPageMark(text: string, mark: string): boolean {
  return mark !== '' && text.includes(mark);
}

/** A plain text with a reader's own address in the place of each mark. */
export function withPage(text: string, mark: string, address: string): string {
  return mark ? text.replaceAll(mark, address) : text;
}

/** The same of HTML: where the mark stands in words of its own it becomes a link. @param mark, address without `&`, quotes or angles */
export function htmlWithPage(html: string, mark: string, address: string): string {
  if (!mark) return html;
  return html
    .replaceAll(`href="${mark}"`, `href="${address}"`)
    .split(/(<a\b[^<>]*>[^<]*<\/a>)/)
    .map((part) =>
      part.startsWith('<a') && part.endsWith('</a>')
        ? part.replaceAll(mark, address)
        : part.replaceAll(mark, `<a href="${address}">${address}</a>`),
    )
    .join('');
}

/** Whether a text asks for its reader's own page. */
export function asksForPage(body: DocNode): boolean {
  return (
    (body.type === 'mergeField' && body.attrs?.field === PAGE_FACT) ||
    (body.content ?? []).some((child) => asksForPage(child))
  );
}

/** A text that says where its documents are laid out: at its end, unless it says so itself. */
export function tellingOfPage(body: DocNode): DocNode {
  if (asksForPage(body)) return body;
  return {
    ...body,
    content: [
      ...(body.content ?? []),
      {
        type: 'paragraph',
        content: [
          { type: 'text', text: 'The documents are laid out for you here: ' },
          { type: 'mergeField', attrs: { field: PAGE_FACT, fallback: '' } },
        ],
      },
    ],
  };
}
