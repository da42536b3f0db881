import { expect } from 'chai';
import fc from 'fast-check';
import { Experience, GENERAL_TOPIC, type Lesson } from '../../core/filing/experience.ts';

const DAY = 24 * 3600 * 1000;
const NOW = Date.UTC(2026, 10, 1);
const lesson = (fileId: number, words: string[], extra: Partial<Lesson> = {}): Lesson => ({
  at: NOW,
  words,
  people: ['a@b.example'],
  files: fileId ? [{ id: fileId, topics: ['walls'] }] : [],
  stranger: null,
  ...extra,
});
/** Everything a model can be asked, for comparing two. */
const answers = (experience: Experience) => ({
  lessons: experience.lessons,
  habits: ['a@b.example', 'c@d.example'].map((who) => experience.habits(who)),
  strangers: ['from:nothing', 'to:names'].map((kind) => experience.strangersOf(kind)),
  known: experience.known(['stone', 'gate', 'sheep'], NOW).map(({ word, share }) => ({ word, share })),
  affinities: [1, 2, 3].map((file) =>
    experience.affinities(experience.known(['stone', 'gate', 'sheep'], NOW), file, ['walls', 'sheep'], NOW),
  ),
  uses: experience.uses(1, 'stone', NOW),
});

const anyLesson: fc.Arbitrary<Lesson> = fc
  .record({
    at: fc.integer({ min: NOW - 900 * DAY, max: NOW }),
    words: fc.uniqueArray(fc.constantFrom('stone', 'gate', 'sheep', 'river'), { maxLength: 4 }),
    people: fc.uniqueArray(fc.constantFrom('a@b.example', 'c@d.example'), { maxLength: 2 }),
    files: fc.uniqueArray(
      fc.record({
        id: fc.integer({ min: 1, max: 3 }),
        topics: fc.constantFrom(['walls'], ['sheep', 'walls'], [GENERAL_TOPIC]),
      }),
      { maxLength: 2, selector: (file) => file.id },
    ),
    stranger: fc.constantFrom(null, 'from:nothing', 'to:names'),
  })
  .chain((lesson) =>
    fc.boolean().map((evident): Lesson => (evident ? { ...lesson, evident: true } : lesson)),
  );

describe('what filing learns', () => {
  it('is the same in whatever order it was learned', () => {
    fc.assert(
      fc.property(fc.array(anyLesson, { maxLength: 12 }), fc.infiniteStream(fc.nat()), (lessons, dice) => {
        const one = new Experience();
        const other = new Experience();
        for (const each of lessons) one.learn(each);
        const shuffled = lessons
          .map((each) => ({ each, at: dice.next().value ?? 0 }))
          .sort((a, b) => a.at - b.at)
          .map(({ each }) => each);
        for (const each of shuffled) other.learn(each);
        expect(answers(other)).to.deep.equal(answers(one));
      }),
    );
  });
  it('is as if it had never been when it is taken back, to the last bit', () => {
    fc.assert(
      fc.property(
        fc.array(anyLesson, { maxLength: 8 }),
        fc.array(anyLesson, { minLength: 1, maxLength: 5 }),
        (kept, withdrawn) => {
          const plain = new Experience();
          for (const each of kept) plain.learn(each);
          const mended = new Experience();
          for (const each of [...withdrawn, ...kept]) mended.learn(each);
          for (const each of withdrawn) mended.unlearn(each);
          expect(answers(mended)).to.deep.equal(answers(plain));
        },
      ),
    );
  });
  it('ties a word to the file it is used on, and to other files of the same kind', () => {
    const experience = new Experience();
    for (let count = 0; count < 6; count++) {
      experience.learn(lesson(1, ['stone', 'gate']));
      experience.learn(lesson(2, ['sheep'], { files: [{ id: 2, topics: ['grazing'] }] }));
    }
    const of = (word: string, file: number, topics: string[]) =>
      experience.affinities(experience.known([word], NOW), file, topics, NOW)[0] ?? 0;
    expect(of('stone', 1, ['walls'])).to.be.greaterThan(0.5);
    expect(of('stone', 9, ['walls'])).to.be.greaterThan(0.4);
    expect(of('stone', 2, ['grazing'])).to.be.lessThan(-1);
    expect(of('stone', 9, [])).to.equal(0);
    expect(experience.known(['never'], NOW)).to.deep.equal([]);
    expect(experience.uses(1, 'stone', NOW)).to.equal(6);
  });
  it('fades: what is half a year older counts half', () => {
    const experience = new Experience();
    experience.learn(lesson(1, ['stone'], { at: NOW - 182 * DAY }));
    experience.learn(lesson(1, ['gate']));
    expect([experience.uses(1, 'stone', NOW), experience.uses(1, 'gate', NOW)]).to.deep.equal([0.5, 1]);
  });
  it('remembers where the mail with a person went, latest first, client mail or not', () => {
    const experience = new Experience();
    experience.learn(lesson(1, [], { at: NOW - 5 * DAY }));
    experience.learn(lesson(0, [], { at: NOW }));
    experience.learn(lesson(2, [], { at: NOW - 2 * DAY }));
    expect(experience.habits('a@b.example').map((habit) => habit.fileId)).to.deep.equal([0, 2, 1]);
  });
});
