import { expect } from 'chai';
import { jaro, jaroWinkler } from '../../core/doubles/measures.ts';

/**
 * W. E. Winkler, "Overview of Record Linkage and Current Research Directions" (U.S. Bureau of the Census, Research
 * Report Statistics 2006-2), the table that compares string comparators of last and first names, to three figures; the
 * values are from memory. Left out: the pairs his program gives 0.000 without comparing them.
 */
const TABLE: [one: string, two: string, jaro: number, winkler: number][] = [
  ['SHACKLEFORD', 'SHACKELFORD', 0.97, 0.982],
  ['DUNNINGHAM', 'CUNNIGHAM', 0.896, 0.896],
  ['NICHLESON', 'NICHULSON', 0.926, 0.956],
  ['JONES', 'JOHNSON', 0.79, 0.832],
  ['MASSEY', 'MASSIE', 0.889, 0.933],
  ['ABROMS', 'ABRAMS', 0.889, 0.922],
  ['JERALDINE', 'GERALDINE', 0.926, 0.926],
  ['MARHTA', 'MARTHA', 0.944, 0.961],
  ['MICHELLE', 'MICHAEL', 0.869, 0.921],
  ['JULIES', 'JULIUS', 0.889, 0.933],
  ['TANYA', 'TONYA', 0.867, 0.88],
  ['DWAYNE', 'DUANE', 0.822, 0.84],
  ['SEAN', 'SUSAN', 0.783, 0.805],
  ['JON', 'JOHN', 0.917, 0.933],
];

describe('string measures against the table of Winkler 2006', () => {
  for (const [one, two, plain, raised] of TABLE)
    it(`${one} and ${two}`, () => {
      expect(jaro(one, two)).to.be.closeTo(plain, 0.0006);
      expect(jaroWinkler(one, two)).to.be.closeTo(raised, 0.0006);
      expect(jaroWinkler(two, one)).to.be.closeTo(raised, 0.0006);
    });

  it('says 1 of the same, 0 of what has nothing in common, and costs no more than its limit', () => {
    expect(jaroWinkler('a', 'a')).to.equal(1);
    expect(jaroWinkler('', '')).to.equal(1);
    expect(jaroWinkler('abc', 'xyz')).to.equal(0);
    expect(jaroWinkler('', 'x')).to.equal(0);
    const began = performance.now();
    jaro('a'.repeat(1e6), 'a'.repeat(1e6));
    expect(performance.now() - began).to.be.below(50);
  });
});
