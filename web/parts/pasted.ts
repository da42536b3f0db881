/** What word processors put around what one copies, and no text needs. */
const CLUTTER = 'style, meta, link, xml, title, o\\:p, script';

/**
 * What was pasted without what its word processor put into it: looks of its own, empty namespaces, comments. Lists
 * that are paragraphs with a bullet before them become lists. Pictures of other places are dropped by the editor.
 */
export function cleanPasted(html: string): string {
  const doc = new DOMParser().parseFromString(html, 'text/html');
  // What was copied here is whole as it is.
  if (doc.querySelector('[data-pm-slice]')) return html;
  doc.querySelectorAll(CLUTTER).forEach((element) => element.remove());
  const comments = doc.createTreeWalker(doc.body, NodeFilter.SHOW_COMMENT);
  const found: Node[] = [];
  while (comments.nextNode()) found.push(comments.currentNode);
  for (const comment of found) comment.parentNode?.removeChild(comment);
  asLists(doc);
  for (const element of doc.body.querySelectorAll<HTMLElement>('*')) {
    const { fontWeight, fontStyle, textDecoration } = element.style;
    if (element.tagName === 'SPAN') {
      const tag = /^(?:bold|[6-9]00)$/.test(fontWeight)
        ? 'strong'
        : fontStyle === 'italic'
          ? 'em'
          : textDecoration.includes('underline')
            ? 'u'
            : null;
      if (tag) wrapContent(element, tag);
    }
    for (const name of ['style', 'class', 'lang', 'id', 'align', 'width', 'height', 'face', 'color'])
      if (!(name === 'width' && element.tagName === 'IMG')) element.removeAttribute(name);
  }
  return doc.body.innerHTML;
}

function wrapContent(element: HTMLElement, tag: string): void {
  const inner = element.ownerDocument.createElement(tag);
  inner.append(...element.childNodes);
  element.append(inner);
}

/** A word processor's list is paragraphs of a class of its own, each with its bullet or number as text. */
function asLists(doc: Document): void {
  const MARK = /^\s*(?:[·•§o▪-]|(\d{1,3}|[a-z])[.)])[\s\u00a0]+/i;
  let list: HTMLElement | null = null;
  for (const paragraph of [...doc.body.querySelectorAll('p[class*="ListParagraph"]')]) {
    const mark = MARK.exec(paragraph.textContent ?? '');
    if (!mark) continue;
    const follows: boolean = list !== null && paragraph.previousElementSibling === list;
    if (!follows || list === null) {
      list = doc.createElement(mark[1] ? 'ol' : 'ul');
      paragraph.before(list);
    }
    const item = doc.createElement('li');
    const own = doc.createElement('p');
    own.append(...paragraph.childNodes);
    cutStart(own, mark[0].length);
    item.append(own);
    list.append(item);
    paragraph.remove();
  }
}

/** Takes the first letters away, wherever they stand within. */
function cutStart(element: Node, letters: number): void {
  const texts = (element.ownerDocument as Document).createTreeWalker(element, NodeFilter.SHOW_TEXT);
  let left = letters;
  while (left > 0 && texts.nextNode()) {
    const text = texts.currentNode as Text;
    const cut = Math.min(left, text.data.length);
    text.data = text.data.slice(cut);
    left -= cut;
  }
}
