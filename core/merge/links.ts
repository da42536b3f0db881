import type { DocNode } from './document.ts';
import { safeLink } from './html.ts';

/** A link of a text: where it leads, and the words it is behind. */
export interface TextLink {
  href: string;
  words: string;
}

/** How a message tells that it was opened, and which of its links were followed. */
export interface Counting {
  /** The address of a picture that nobody sees. */
  mark: string;
  /** The address that leads to a link by way of us. @param position among {@link linksOf} */
  link(position: number): string;
}

/** Web addresses that a text leads to, each once, in order. */
export function linksOf(body: DocNode): TextLink[] {
  const found = new Map<string, string>();
  const visit = (node: DocNode) => {
    let before: string | null = null;
    for (const child of node.content ?? []) {
      const href = webLink(child);
      // One link may be in several pieces, where some of its words are bold; what it is called elsewhere is not said.
      if (href && (href === before || !found.has(href)))
        found.set(href, `${found.get(href) ?? ''}${child.text ?? ''}`);
      before = href;
      visit(child);
    }
  };
  visit(body);
  return [...found].map(([href, words]) => ({ href, words: words.trim() }));
}

/** Where each link of a text leads when it is counted; as it is when its words are an address themselves. */
export function countedLinks(body: DocNode, counting: Counting): (href: string, words: string) => string {
  const position = new Map(linksOf(body).map(({ href }, at) => [href, at]));
  return (href, words) => {
    const at = position.get(href);
    // Words that name one address and lead to another are what mail of swindlers looks like.
    return at === undefined || /:\/\/|^www\./i.test(words.trim()) ? href : counting.link(at);
  };
}

function webLink(node: DocNode): string | null {
  const mark = node.marks?.find(({ type }) => type === 'link');
  const href = mark ? safeLink(String(mark.attrs?.href ?? '')) : null;
  return href && /^https?:/i.test(href) ? href : null;
}
