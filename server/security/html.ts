import sanitizeHtml from 'sanitize-html';
import { boundedHtml } from '../../core/message/html.ts';
import { cut, LIMITS } from '../../core/message/limits.ts';
import { escapeHtml } from '../../core/merge/html.ts';
import type { Enclosure } from '../../core/message/read.ts';

/** Picture types a browser may draw; SVG is left out, as it can carry scripts. */
const PICTURES = /^image\/(?:png|jpe?g|gif|webp|bmp)$/;
const CSS_VALUE = [/^(?!.*(?:url|expression|javascript|@import|\\))[^;{}<>]*$/is];
const CSS_PROPERTIES = [
  'color',
  'background-color',
  'font',
  'font-family',
  'font-size',
  'font-style',
  'font-weight',
  'line-height',
  'text-align',
  'text-decoration',
  'margin',
  'margin-top',
  'margin-right',
  'margin-bottom',
  'margin-left',
  'padding',
  'padding-top',
  'padding-right',
  'padding-bottom',
  'padding-left',
  'border',
  'border-top',
  'border-right',
  'border-bottom',
  'border-left',
  'border-color',
  'border-collapse',
  'width',
  'max-width',
  'height',
  'vertical-align',
  'white-space',
  'list-style-type',
];

/** What keeps words from being shown, such as those a mailing puts before its own for the list of messages. */
const HIDING = {
  display: [/^none$/i],
  visibility: [/^hidden$/i],
  overflow: [/^hidden$/i],
  'max-height': CSS_VALUE,
};
/** Elements whose text is no part of the page. */
const NOT_SHOWN = ['script', 'style', 'textarea', 'option', 'noscript', 'title'];

/** A colour among other things that `background` may say (CSS Backgrounds and Borders, section 3.10). */
const COLOUR =
  /(?<![\w-])(?:#[0-9a-f]{3,8}|(?:rgb|hsl)a?\([\d\s.,%/]{1,60}\)|(?!(?:none|repeat|no|scroll|fixed|local|left|right|top|bottom|center|auto|cover|contain|inherit|initial|url|linear|radial|space|round|important)\b)[a-z]{3,24})(?![\w(-])/i;

/** The style with the colour of a background as a property of its own: of the rest nothing may be shown. */
function plainBackground(style: string): string {
  return cut(style, LIMITS.line).replace(
    /(^|;)\s*background\s*:([^;]*)/gi,
    (_, before: string, value: string) => {
      // What an address says is no colour.
      const [colour] =
        COLOUR.exec(
          value.replace(/\([^()]*\)/g, (within) => (/^\([\d\s.,%/]*\)$/.test(within) ? within : '')),
        ) ?? [];
      return colour ? `${before}background-color:${colour}` : before;
    },
  );
}

/** So many bytes of pictures stand in one page; one larger than the second figure but once. */
const MOST_PICTURES = 12_000_000;
const LARGE_PICTURE = 50_000;

/**
 * Makes the HTML of a message from outside fit to be shown in a sandboxed frame: no scripts, forms,
 * frames or styles that reach out; links open apart and tell nobody where they were; pictures within
 * the message are put in place, remote ones only when asked for.
 */
export function safeHtml(html: string, enclosures: readonly Enclosure[], remotePictures: boolean): string {
  const byId = new Map(
    enclosures
      .filter((part) => part.contentId && PICTURES.test(part.mimeType))
      .map((part) => [part.contentId, part]),
  );
  const pictures = new Pictures(byId, remotePictures);
  return sanitizeHtml(boundedHtml(html).html, {
    allowedTags: [...sanitizeHtml.defaults.allowedTags, 'img', 'font', 'center', 'del', 'ins'],
    nonTextTags: [...NOT_SHOWN],
    allowedAttributes: {
      '*': ['style', 'align', 'valign', 'dir', 'lang', 'title', 'width', 'height', 'bgcolor'],
      a: ['href', 'target', 'rel'],
      img: ['src', 'alt'],
      table: ['border', 'cellpadding', 'cellspacing'],
      td: ['colspan', 'rowspan'],
      th: ['colspan', 'rowspan'],
      font: ['color', 'face', 'size'],
      ol: ['start', 'type'],
    },
    allowedSchemes: ['http', 'https', 'mailto', 'tel'],
    allowedSchemesByTag: { img: remotePictures ? ['http', 'https', 'data'] : ['data'] },
    allowProtocolRelative: false,
    allowedStyles: {
      '*': { ...Object.fromEntries(CSS_PROPERTIES.map((property) => [property, CSS_VALUE])), ...HIDING },
    },
    nestingLimit: LIMITS.depth,
    transformTags: {
      '*': (tagName, attributes) => ({
        tagName,
        attribs: attributes.style ? { ...attributes, style: plainBackground(attributes.style) } : attributes,
      }),
      a: (tagName, attributes) => ({
        tagName,
        attribs: { ...attributes, target: '_blank', rel: 'noopener noreferrer nofollow' },
      }),
      img: (tagName, attributes) => ({
        tagName,
        attribs: { ...attributes, src: pictures.source(attributes.src ?? '') },
      }),
    },
    exclusiveFilter: (frame) => frame.tag === 'img' && !frame.attribs.src,
  });
}

/** Where the pictures of one page come from; those within the message are put in place while there is room. */
class Pictures {
  private bytes = 0;
  private readonly shown = new Set<Enclosure>();

  constructor(
    private readonly byId: ReadonlyMap<string | null, Enclosure>,
    private readonly remote: boolean,
  ) {}

  /** The address of a picture as the page may fetch it; empty when it may not. */
  source(src: string): string {
    if (/^cid:/i.test(src)) return this.within(src.slice(4));
    if (/^data:/i.test(src)) {
      this.bytes += src.length;
      return PICTURES.test(/^data:([^;,]{1,80})/i.exec(src)?.[1] ?? '') && this.bytes <= MOST_PICTURES
        ? src
        : '';
    }
    return this.remote && /^https?:/i.test(src) ? src : '';
  }

  private within(id: string): string {
    const part = this.byId.get(unescaped(id));
    if (!part) return '';
    const again = this.shown.has(part);
    this.bytes += part.content.length;
    if (this.bytes > MOST_PICTURES || (again && part.content.length > LARGE_PICTURE)) return '';
    this.shown.add(part);
    return `data:${part.mimeType};base64,${Buffer.from(part.content).toString('base64')}`;
  }
}

/** Percent signs undone where they make sense (RFC 2392); else as it stands. */
function unescaped(id: string): string {
  try {
    return decodeURIComponent(id);
  } catch {
    return id;
  }
}

/** The policy under which a message's own page is shown, whatever the sanitiser let through. */
export function framePolicy(remotePictures: boolean): string {
  return `default-src 'none'; img-src data:${remotePictures ? ' http: https:' : ''}; style-src 'unsafe-inline'; form-action 'none'; frame-ancestors 'self'; sandbox allow-popups allow-popups-to-escape-sandbox`;
}

/** A whole page around the sanitised HTML, or around plain text. */
export function framePage(content: string): string {
  return `<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>Message</title><style>body{margin:0;padding:4px 2px;font:15px/1.55 Georgia,serif;color:#1F2B28;background:#FFFEFB;overflow-wrap:anywhere}img{max-width:100%}img:not([height]):not([style*=height]){height:auto}pre{white-space:pre-wrap;font:inherit;margin:0}</style></head><body>${content}</body></html>`;
}

/** Plain words as a page shows them, line by line. */
export function plainAsHtml(text: string): string {
  return `<pre>${escapeHtml(text)}</pre>`;
}
