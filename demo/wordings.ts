import type { DocNode } from '../core/merge/document.ts';

const text = (words: string): DocNode => ({ type: 'text', text: words });
const field = (key: string, fallback = ''): DocNode => ({
  type: 'mergeField',
  attrs: { field: key, fallback },
});
const paragraph = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const doc = (...content: DocNode[]): DocNode => ({ type: 'doc', content });

const article = (
  { hash, alt }: { hash: string; alt: string },
  heading: string,
  words: string,
  href: string,
): DocNode =>
  doc(
    { type: 'picture', attrs: { hash, alt, width: 520 } },
    { type: 'heading', attrs: { level: 2 }, content: [text(heading)] },
    paragraph(text(words)),
    paragraph({ ...text('Read on'), marks: [{ type: 'link', attrs: { href } }] }),
  );

/** Stock paragraphs, templates and articles the firm has at hand. @param pictures hashes of kept ones */
export const wordings = (pictures: {
  wood: string;
  orchard: string;
}): {
  kind: 'template' | 'paragraph' | 'article' | 'note';
  name: string;
  description?: string;
  /** That put it in where one writes. */
  letters?: string;
  occasion?: 'answer owed' | 'file opened' | 'client leaving' | 'document shared';
  subject?: DocNode;
  body: DocNode;
}[] => [
  {
    kind: 'article',
    name: 'The wood in winter',
    letters: 'wood',
    description: 'What can be done while the leaves are down.',
    body: article(
      { hash: pictures.wood, alt: 'A wood in autumn below a range of hills' },
      'What to look for in the wood this winter',
      'With the leaves down the tops can be seen: dead branches over paths, ivy that has taken over, and the gaps where nothing comes up. Mark what you see, and we shall look at it together.',
      'https://www.quillhurst.example/winter-wood',
    ),
  },
  {
    kind: 'article',
    name: 'Orchard days in spring',
    letters: 'orch',
    description: 'With the days, once they are settled.',
    body: article(
      { hash: pictures.orchard, alt: 'Rows of fruit trees in blossom' },
      'Two orchard days in April',
      'We prune, graft and look at old sorts, with an hour for questions. There is room for twelve each day.',
      'https://www.quillhurst.example/orchard-days',
    ),
  },
  {
    kind: 'paragraph',
    name: 'Received, will answer',
    letters: 'rwa',
    body: doc(
      paragraph(
        text('Thank you for this. It is with '),
        field('adviser.name', 'us'),
        text(', who will answer within three working days.'),
      ),
    ),
  },
  {
    kind: 'paragraph',
    name: 'Our reference',
    letters: 'ref',
    body: doc(
      paragraph(
        text('Our reference is '),
        field('file.number'),
        text(' ('),
        field('file.title'),
        text('); please keep it in the subject.'),
      ),
    ),
  },
  {
    kind: 'template',
    name: 'Asking for a visit',
    description: 'Before the spring round; asks for mornings.',
    subject: doc(paragraph(text('A day for a visit to '), field('client.place', 'you'))),
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(
        text('We should like to walk '),
        field('client.place', 'the land'),
        text(' with you before the spring. Which mornings would suit you in the next three weeks?'),
      ),
      paragraph(text('If ringing is easier, '), field('adviser.phone'), text(' reaches me.')),
    ),
  },
  {
    kind: 'template',
    name: 'An answer we owe',
    description: 'Says when the answer comes, when it cannot come today.',
    occasion: 'answer owed',
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(
        text('Thank you for your letter about '),
        field('file.title', 'this'),
        text('. I have to look into it on the ground first and shall write again by the end of next week.'),
      ),
    ),
  },
  {
    kind: 'template',
    name: 'A new file with us',
    description: 'What we do first, and under which number we are reached.',
    occasion: 'file opened',
    subject: doc(paragraph(field('file.number'), text(', '), field('file.title'))),
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(
        text('We have opened a file for '),
        field('file.title'),
        text('. Its number is '),
        field('file.number'),
        text('; please keep it in the subject of what you write about it.'),
      ),
      paragraph(
        text(
          'I shall look at the papers this week and propose a day for a first walk. If anything is urgent, ',
        ),
        field('adviser.phone', 'the office'),
        text(' reaches me.'),
      ),
    ),
  },
  {
    kind: 'template',
    name: 'Laid out for you',
    description: 'Says that something lies on their own page, and how it opens.',
    occasion: 'document shared',
    subject: doc(paragraph(text('Something lies ready for you'))),
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(text('We have laid something out for you on your own page: '), field('page.link')),
      paragraph(
        text(
          'The page asks for a code, which comes to this address at once. There is nothing to sign up for, and nobody else reads it.',
        ),
      ),
    ),
  },
  {
    kind: 'template',
    name: 'Still wanted from you',
    description: 'Reminds of what was asked for on their own page and has not come.',
    subject: doc(paragraph(text('What we still need from you'))),
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(
        text(
          'Some of what we asked you for has not come yet. It stands on your own page, where you can put it: ',
        ),
        field('page.link'),
      ),
      paragraph(
        text('If something is hard to find, '),
        field('adviser.phone', 'the office'),
        text(' helps.'),
      ),
    ),
  },
  {
    kind: 'template',
    name: 'Thank you, and goodbye',
    description: 'When a client leaves us.',
    occasion: 'client leaving',
    subject: doc(paragraph(text('Thank you from '), field('firm.name'))),
    body: doc(
      paragraph(text('Dear '), field('greeting', 'all'), text(',')),
      paragraph(
        text(
          'Our work for you is done, and the files are closed. They stay with us for six years, should you need them.',
        ),
      ),
      paragraph(text('Thank you for your trust. The gate is open.')),
    ),
  },
  {
    kind: 'note',
    name: 'Nobody there',
    body: doc(
      paragraph(text('Rang about '), field('file.title', 'this'), text('; nobody there. Will try again.')),
    ),
  },
  {
    kind: 'note',
    name: 'Asked for papers',
    body: doc(
      paragraph(
        text('Asked '),
        field('greeting', 'them'),
        text(' for the papers on '),
        field('file.title', 'this'),
        text('.'),
      ),
    ),
  },
];
