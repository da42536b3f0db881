/** The two ways a thing may stand with somebody. */
export const HAS = [
  { value: true, title: 'has' },
  { value: false, title: 'has not' },
];
