import { expect } from 'chai';
import fc from 'fast-check';
import { answersSubject, isForward, subjectKey } from '../../core/conversation/subject.ts';
import { readSignature } from '../../core/address/signature.ts';
import { readAddress } from '../../core/message/read.ts';
import { inlineMessage, writtenPart } from '../../core/message/written.ts';

const parts = (lines: string[], names: string[] = [], address = '') =>
  writtenPart(lines.join('\n'), names, address);

describe('a body taken apart', () => {
  it('parts the closing phrase of many languages from the words', () => {
    for (const closing of [
      'Kind regards,',
      'With best wishes',
      'Yours sincerely',
      'Many thanks',
      'All the best',
      'Mit freundlichen Grüßen',
      'Viele Grüsse',
      'Cordialement',
      'Med venlig hilsen',
      'Med vänliga hälsningar',
      'Met vriendelijke groet',
      'Cordiali saluti',
      'Atentamente',
    ]) {
      const { own, signature } = parts(['The gate is mended.', '', closing, 'Ada Fell', 'Owner']);
      expect([closing, own, signature.split('\n').at(-1)]).to.deep.equal([
        closing,
        'The gate is mended.',
        'Owner',
      ]);
    }
  });
  it('folds a line of underscores away with the head below it, also where lines are empty between', () => {
    for (const between of [[], [''], ['', '']]) {
      const { own } = parts([
        'The gate is mended.',
        '',
        '________________________________',
        ...between,
        'From: Ines Calder <ines@firm.example>',
        'Sent: Monday, 2 November 2026 10:00',
        'To: Ada Fell <ada@fell.example>',
        'Subject: The gate',
        '',
        'Is it mended?',
      ]);
      expect([between.length, own]).to.deep.equal([between.length, 'The gate is mended.']);
    }
  });
  it('does not take thanks within a sentence for a closing', () => {
    const { own } = parts(['Many thanks for the plan, which came today.', 'The rest follows.']);
    expect(own).to.contain('The rest follows.');
  });
  it('knows the writer’s name as shown, by the first name alone, and turned round', () => {
    for (const [line, name] of [
      ['Ada Fell', 'Ada Fell'],
      ['Ada', 'Ada Fell'],
      ['Ada Fell', 'Fell, Ada'],
      ['ada fell,', 'Ada Fell'],
    ] as const)
      expect([line, parts(['Words here.', '', line, '0555 0100'], [name]).own]).to.deep.equal([
        line,
        'Words here.',
      ]);
  });
  it('knows a name by the address it is written from, and no other words', () => {
    expect(parts(['Words.', '', 'Ada Fellgate'], [], 'adafellgate7@post.example').own).to.equal('Words.');
    expect(parts(['Words.', '', 'The Fellgate'], [], 'x@post.example').own).to.contain('The Fellgate');
    expect(parts(['Words.', '', 'we like fellgate'], [], 'fellgate@post.example').own).to.contain('we like');
  });
  it('keeps a footer apart from the signature, and a postscript with the words', () => {
    const { own, signature, footer } = parts([
      'It rained.',
      '',
      'Regards',
      'Ada Fell',
      'Fell Estate',
      '',
      'P.S. The cat is back.',
      '',
      'This message is private.',
    ]);
    expect(own).to.equal('It rained.\n\nP.S. The cat is back.');
    expect(signature).to.equal('Regards\nAda Fell\nFell Estate');
    expect(footer).to.equal('This message is private.');
  });
  it('knows what a telephone adds', () => {
    expect(parts(['Yes.', 'Sent from my pocket telephone']).own).to.equal('Yes.');
    expect(parts(['Ja.', 'Gesendet von meinem Telefon']).own).to.equal('Ja.');
  });
  it('loses nothing: every word of the text is in one of the parts', () => {
    const line = fc.constantFrom(
      'Words here',
      'Regards',
      '-- ',
      'Ada Fell',
      '> quoted',
      '',
      'On Mon, Ada wrote:',
      'PS more',
      'From: a@b.example',
    );
    fc.assert(
      fc.property(fc.array(line, { maxLength: 14 }), (lines) => {
        const { own, signature, footer, quoted } = parts(lines, ['Ada Fell']);
        const kept = [own, signature, footer, quoted].join(' ').split(/\s+/).filter(Boolean).sort();
        expect(kept).to.deep.equal(lines.join(' ').split(/\s+/).filter(Boolean).sort());
      }),
    );
  });
});

describe('a message within a text', () => {
  const block = (labels: [string, string, string, string], mark = '') =>
    [
      `${labels[0]}: Ada Fell <ada@fell.example>`,
      `${labels[1]}: 2 September 2024 10:00`,
      `${labels[2]}: us@firm.example`,
      `${labels[3]}: The gate`,
      '',
      'It is mended.',
    ]
      .map((each) => `${mark}${each}`)
      .join('\n');
  it('is found under the headings of many languages, quoted or not', () => {
    for (const labels of [
      ['From', 'Sent', 'To', 'Subject'],
      ['Von', 'Gesendet', 'An', 'Betreff'],
      ['De', 'Envoyé', 'À', 'Objet'],
      ['Fra', 'Sendt', 'Til', 'Emne'],
      ['Från', 'Skickat', 'Till', 'Ämne'],
      ['Van', 'Verzonden', 'Aan', 'Onderwerp'],
    ] as [string, string, string, string][])
      for (const mark of ['', '> ']) {
        const found = inlineMessage(block(labels, mark));
        expect([
          labels[0],
          found?.subject,
          found?.text,
          readAddress(found?.from ?? '')[0]?.address,
        ]).to.deep.equal([labels[0], 'The gate', 'It is mended.', 'ada@fell.example']);
      }
  });
  it('is not seen where there is none', () => {
    expect(inlineMessage('From here it is far.\nTo: nobody')).to.equal(null);
    expect(inlineMessage('')).to.equal(null);
  });
  it('has its sender read with the address in brackets or after mailto', () => {
    expect(readAddress('Ada Fell [mailto:ada@fell.example]')).to.deep.equal([
      { name: 'Ada Fell', address: 'ada@fell.example' },
    ]);
    expect(readAddress('ada@fell.example')[0]?.address).to.equal('ada@fell.example');
  });
});

describe('subjects compared', () => {
  it('without marks, signs and accents that programs mangle', () => {
    for (const [one, other] of [
      ['Re: The wall – a plan', 'the wall - a plan'],
      ['WG: Bäume', 'Baume'],
      ['Automatic reply: The form', 'Re: The form'],
      ['Accepted: Walk on Monday', 'Walk on Monday'],
      ['Abwesenheitsnotiz: The form', 'The form'],
      ['[list] Fwd:  The form (fwd)', 'The form'],
    ] as const)
      expect([one, subjectKey(one)]).to.deep.equal([one, subjectKey(other)]);
    expect(subjectKey('The wall')).to.not.equal(subjectKey('The walls'));
    expect(subjectKey('Re: –')).to.equal('');
  });
  it('by whether they answer or hand on', () => {
    expect(
      ['Re: a', 'AW: a', 'Out of office: a', 'Declined: a', 'a', 'Regarding a'].map(answersSubject),
    ).to.deep.equal([true, true, true, true, false, false]);
    expect(['Fwd: a', 'WG: a', 'TR: a', 'Re: a', 'Forward march'].map(isForward)).to.deep.equal([
      true,
      true,
      true,
      false,
      false,
    ]);
  });
});

describe('a signature read', () => {
  it('for name, role, organisation, place and telephone, in the order people write them', () => {
    expect(
      readSignature(
        'Kind regards\nAda Fell\nEstate secretary\nFell Estate\nFell House, Upper Dale\n+44 1632 960 123',
        '',
      ),
    ).to.deep.equal({
      firstName: 'Ada',
      lastName: 'Fell',
      role: 'Estate secretary',
      organisation: 'Fell Estate',
      phone: '+44 1632 960 123',
      postal: ['Fell House', 'Upper Dale'],
    });
  });
  it('by the name shown when the block has none, titles and turned names understood', () => {
    expect(readSignature('', 'Fell, Ada')).to.deep.include({ firstName: 'Ada', lastName: 'Fell', role: '' });
    expect(readSignature('', 'Dr. Ada Mary Fell')).to.deep.include({
      firstName: 'Ada Mary',
      lastName: 'Fell',
    });
    expect(readSignature('', '')).to.deep.include({ firstName: '', lastName: '' });
  });
  it('never takes links or addresses for a place', () => {
    const { postal, role } = readSignature('Ada Fell\nada@fell.example\nwww.fell.example\nDale', '');
    expect([postal, role]).to.deep.equal([[], 'Dale']);
  });
});
