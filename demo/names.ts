/** Names for the demo firm's world. All made up; addresses only under .example. */
export const FIRST_NAMES = (
  'Ada Alban Agnes Ansel Beatrix Bram Clem Corin Dilys Dorothea Edmund Effie Elspeth Emrys Enid Felix Fern Gethin Greta ' +
  'Hal Hester Hugo Imogen Isolde Ivo Jessamy Jory Kester Lettice Linus Lorcan Mabel Magnus Marged Merle Nell Nico Olwen ' +
  'Orla Osric Perrin Piers Quill Rhoda Roland Rowan Sabra Silas Tamsin Tegan Thea Ursula Verity Wilf Winifred Ysolde'
).split(' ');

export const LAST_NAMES = (
  'Aldwark Amblecote Arkengarth Bannisdale Barkwith Birkrigg Brackley Cawdale Clerke Coldbeck Crosthwaite Dovenby Dunmire ' +
  'Eskrigg Fairbarrow Fellgate Garrowby Gillbeck Greysouth Hallthwaite Harrowfen Hawkrigg Helmsford Holmrook Inglewater ' +
  'Kettlegill Kirkfell Lanthorn Larkrigg Levensdale Mardale Mickleby Netherwick Oakshott Orrest Pennarth Quernside Ravenglass ' +
  'Rusland Sallowby Scarrow Skelgill Smallthwaite Stonethwaite Tarnbrook Thornhow Ulpha Underhelm Wandale Wetherlam Whinfell ' +
  'Winterscale Wraymire Yarlside'
).split(' ');

const PLACE_STARTS =
  'Alder Ashen Birk Bracken Brock Crow Dove Ellers Fern Gorse Hare Hazel Heron Kelp Lark Linn Moss Oxen Pike Quern Raven Rowan Sallow Sedge Thorn Whin Wether Yew'.split(
    ' ',
  );
const PLACE_ENDS =
  'beck bank dale fold garth gill ham holt how hurst ley mere rigg side stead thwaite ton wick'.split(' ');

/** A made-up place name, by two numbers in [0, 1). */
export function placeName(a: number, b: number): string {
  return `${PLACE_STARTS[Math.floor(a * PLACE_STARTS.length)]}${PLACE_ENDS[Math.floor(b * PLACE_ENDS.length)]}`;
}

export const FREEMAIL = ['postbox.example', 'quickpost.example', 'larkmail.example'];

/** Kinds of work, and the words that go with each. */
export interface Matter {
  title: string;
  subjects: string[];
  lines: string[];
}

export const MATTERS: Matter[] = [
  {
    title: 'River bank repair',
    subjects: [
      'The slipped bank',
      'Willow spiling below the bridge',
      'When the digger can come',
      'Stone for the toe of the bank',
    ],
    lines: [
      'The bank has gone back another half metre since the rain.',
      'The contractor can start once the river has dropped.',
      'We should like the willow to be cut from our own pollards.',
      'The agency wants the drawings a fortnight before any work.',
    ],
  },
  {
    title: 'Water meadow grant',
    subjects: ['Sluice boards', 'The meadow claim form', 'Hay cut dates', 'Snipe counts this spring'],
    lines: [
      'The lower sluice leaks and wants two new boards.',
      'I have signed the claim and kept a copy.',
      'The snipe were back in March, at least five pairs.',
      'May we cut before the fifteenth if the weather turns?',
    ],
  },
  {
    title: 'Woodland plan',
    subjects: ['Thinning the larch', 'Felling licence', 'Ride widening', 'Compartment map'],
    lines: [
      'The larch wants thinning before it blows.',
      'The licence runs out at the end of next month.',
      'The map shows compartment four on the wrong side of the track.',
      'We counted deer damage on one stem in eight.',
    ],
  },
  {
    title: 'Boundary survey',
    subjects: ['The march wall', 'Old deed plan', 'Neighbour’s fence', 'Corner stones'],
    lines: [
      'The neighbour has moved his fence a yard on our side.',
      'I found the deed plan of 1911 in the attic.',
      'Two of the corner stones have been ploughed out.',
      'The surveyor asks for access on the ninth.',
    ],
  },
  {
    title: 'Orchard restoration',
    subjects: ['Grafting wood', 'Canker in the old row', 'Standard trees for the paddock', 'Pruning day'],
    lines: [
      'The old row has canker, but the two russets are sound.',
      'We have saved grafting wood from the best of them.',
      'Sheep may go in once the guards are up.',
      'Four trees came with broken roots and should be replaced.',
    ],
  },
  {
    title: 'Farm tenancy review',
    subjects: ['Rent review', 'Schedule of condition', 'Repairs to the byre', 'Notice dates'],
    lines: [
      'The tenant proposes to do the byre roof himself against the rent.',
      'The schedule leaves out the lambing shed.',
      'We should rather settle than go to an arbitrator.',
      'The notice must be served before Candlemas.',
    ],
  },
  {
    title: 'Peat and bog survey',
    subjects: ['Grip blocking', 'Depth readings', 'The dipwells', 'Sphagnum plugs'],
    lines: [
      'The dipwells were read on Monday and the table is up.',
      'Three of the grips have cut through their dams.',
      'The probe went down two metres at the north end.',
      'The plugs arrive in trays of a thousand.',
    ],
  },
  {
    title: 'Hedge and wall scheme',
    subjects: ['Hedge laying', 'Metres of wall', 'Hazel stakes', 'The gap by the lane'],
    lines: [
      'We laid sixty metres before the frost.',
      'The waller measures it at forty metres, not fifty.',
      'Stakes are short this year; may we use ash?',
      'The gap by the lane lets the ewes through.',
    ],
  },
];

export const GENERAL: Matter = {
  title: 'General correspondence',
  subjects: [
    'A date for the yearly visit',
    'Your newsletter',
    'Change of telephone',
    'A question',
    'Thank you',
  ],
  lines: [
    'Could you let me know which day suits for the yearly visit?',
    'We have a new telephone in the kitchen and the old one is gone.',
    'It was good to see you at the show.',
    'Is there anything we should be doing before the winter?',
  ],
};

export const OPENINGS = [
  'I hope this finds you well.',
  'Just a short word.',
  'Thank you for your last.',
  'Following our talk,',
  '',
];
export const CLOSINGS = ['Kind regards', 'With best wishes', 'Many thanks', 'Best'];
