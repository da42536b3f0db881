import { expect } from 'chai';
import { inlineMessage, writtenPart } from '../../core/message/written.ts';

/** The sentences that mail programs put above what is answered, as they are seen in mail (common practice). */
const SENTENCES: readonly (readonly [language: string, sentence: string])[] = [
  ['English', 'On Tue, 3 May 2026 at 10:12, Ann Fell <ann@fell.example> wrote:'],
  ['English, on a telephone', 'On 3 May 2026, at 10:12, Ann Fell wrote:'],
  ['German', 'Am Di., 3. Mai 2026 um 10:12 Uhr schrieb Ann Fell <ann@fell.example>:'],
  ['German, on a telephone', 'Am 03.05.2026 um 10:12 schrieb Ann Fell:'],
  ['French', 'Le mar. 3 mai 2026 à 10:12, Ann Fell <ann@fell.example> a écrit :'],
  ['Spanish', 'El mar, 3 may 2026 a las 10:12, Ann Fell (<ann@fell.example>) escribió:'],
  ['Italian', 'Il giorno mar 3 mag 2026 alle ore 10:12 Ann Fell <ann@fell.example> ha scritto:'],
  ['Portuguese', 'Em ter., 3 de mai. de 2026 às 10:12, Ann Fell <ann@fell.example> escreveu:'],
  ['Dutch', 'Op di 3 mei 2026 om 10:12 schreef Ann Fell <ann@fell.example>:'],
  ['Dutch, on a telephone', 'Op 3 mei 2026, om 10:12 heeft Ann Fell het volgende geschreven:'],
  ['Danish', 'Den tir. 3. maj 2026 kl. 10.12 skrev Ann Fell <ann@fell.example>:'],
  ['Norwegian', 'tir. 3. mai 2026 kl. 10:12 skrev Ann Fell <ann@fell.example>:'],
  ['Swedish', 'Den tis 3 maj 2026 kl 10:12 skrev Ann Fell <ann@fell.example>:'],
  ['Swedish, on a telephone', '3 maj 2026 kl. 10:12 skrev Ann Fell:'],
  ['Finnish', 'ti 3. toukok. 2026 klo 10.12 Ann Fell <ann@fell.example> kirjoitti:'],
  ['Polish', 'wt., 3 maj 2026 o 10:12 Ann Fell <ann@fell.example> napisał(a):'],
  ['Czech', 'út 3. 5. 2026 v 10:12 odesílatel Ann Fell <ann@fell.example> napsal:'],
  ['Hungarian', 'Ann Fell <ann@fell.example> ezt írta (időpont: 2026. máj. 3., K, 10:12):'],
  ['Romanian', 'mar., 3 mai 2026 la 10:12, Ann Fell <ann@fell.example> a scris:'],
  ['Greek', 'Στις Τρί 3 Μαΐ 2026 στις 10:12 π.μ., ο χρήστης Ann Fell <ann@fell.example> έγραψε:'],
  ['Turkish', 'Ann Fell <ann@fell.example>, 3 May 2026 Sal, 10:12 tarihinde şunu yazdı:'],
  ['Russian', 'вт, 3 мая 2026 г. в 10:12, Ann Fell <ann@fell.example>:'],
  ['Japanese', '2026年5月3日(火) 10:12 Ann Fell <ann@fell.example>:'],
  ['Chinese', 'Ann Fell <ann@fell.example> 于2026年5月3日周二 10:12写道：'],
  ['with a stamp', 'Ann Fell (ann@fell.example) [000614 18:05]:'],
];

/** The heads of messages handed on or answered, by the labels of each language. */
const HEADS: readonly (readonly [language: string, ...lines: string[]])[] = [
  ['English', 'From: Ann Fell', 'Sent: Tuesday, 3 May 2026 10:12', 'To: Ben Tarn', 'Subject: The gate'],
  ['German', 'Von: Ann Fell', 'Gesendet: Dienstag, 3. Mai 2026 10:12', 'An: Ben Tarn', 'Betreff: The gate'],
  ['French', 'De : Ann Fell', 'Envoyé : mardi 3 mai 2026 10:12', 'À : Ben Tarn', 'Objet : The gate'],
  ['Spanish', 'De: Ann Fell', 'Enviado: martes, 3 de mayo de 2026', 'Para: Ben Tarn', 'Asunto: The gate'],
  ['Italian', 'Da: Ann Fell', 'Inviato: martedì 3 maggio 2026', 'A: Ben Tarn', 'Oggetto: The gate'],
  ['Portuguese', 'De: Ann Fell', 'Enviada: terça-feira, 3 de maio', 'Para: Ben Tarn', 'Assunto: The gate'],
  ['Dutch', 'Van: Ann Fell', 'Verzonden: dinsdag 3 mei 2026', 'Aan: Ben Tarn', 'Onderwerp: The gate'],
  ['Danish', 'Fra: Ann Fell', 'Sendt: 3. maj 2026', 'Til: Ben Tarn', 'Emne: The gate'],
  ['Swedish', 'Från: Ann Fell', 'Skickat: den 3 maj 2026', 'Till: Ben Tarn', 'Ämne: The gate'],
  ['Polish', 'Od: Ann Fell', 'Wysłano: wtorek, 3 maja 2026', 'Do: Ben Tarn', 'Temat: The gate'],
  ['Czech', 'Od: Ann Fell', 'Odesláno: úterý 3. května 2026', 'Komu: Ben Tarn', 'Předmět: The gate'],
  ['Russian', 'От: Ann Fell', 'Дата: вторник, 3 мая 2026', 'Кому: Ben Tarn', 'Тема: The gate'],
];

const own = (text: string) => writtenPart(text).own;

describe('history is known by what stands above it', () => {
  for (const [language, sentence] of SENTENCES)
    it(`a sentence: ${language}`, () => {
      expect(own(`Yes please.\n\n${sentence}\n\nThe old words.`)).to.equal('Yes please.');
      expect(own(`${sentence}\n> The old words.\n\nYes please.`)).to.equal('Yes please.');
      const middle = sentence.indexOf(' ', sentence.length / 2);
      const folded = `${sentence.slice(0, middle)}\n${sentence.slice(middle + 1)}`;
      expect(own(`Yes please.\n${folded}\n> The old words.\nBring boots.`)).to.equal(
        'Yes please.\nBring boots.',
      );
    });

  for (const [language, ...lines] of HEADS)
    it(`a head: ${language}`, () => {
      for (const head of [lines.join('\n'), lines.join('\n\n'), `> ${lines.join('\n> ')}`])
        expect(own(`Yes please.\n\n${head}\n\n${head.startsWith('>') ? '> ' : ''}The old words.`)).to.equal(
          'Yes please.',
        );
      expect(inlineMessage(`${lines.join('\n')}\n\nThe old words.`)).to.deep.equal({
        from: 'Ann Fell',
        to: 'Ben Tarn',
        subject: 'The gate',
        text: 'The old words.',
      });
    });
});

describe('the writer’s own words are never lost', () => {
  const kept = (text: string) => expect(own(text)).to.equal(text);
  it('in answers between quotations', () =>
    expect(own('> Shall we?\nYes.\n> When?\nOn Friday.\n\n> Where?\nHere.')).to.equal(
      'Yes.\nOn Friday.\n\nHere.',
    ));
  it('in sentences that look like introductions', () => {
    kept('On Tuesday the council wrote:\n\nThe weir must go.\n\nWhat do you say?');
    kept('Please note:\n\nThe gate is open.');
    kept('See you at 10:30:\n\nbring boots.');
  });
  it('in sentences with an address and a time, or a year, that say nobody wrote', () => {
    kept('Ring ann@fell.example before 10:30 with these:\n\nThe number of the gate, and its width.');
    kept('Send ann@fell.example these of 2026:\n\nThe plan of the weir, and its levels.');
  });
  it('in a line right above an introduction', () => {
    for (const line of ['See you at 10:30', 'Ask ann@fell.example', 'It was 2019, at 10:30'])
      expect(own(`${line}\nOn 3 May 2026, Ann Fell wrote:\n> The old words.`)).to.equal(line);
  });
  it('in lists of facts that look like heads', () =>
    kept(
      'Our details for the form:\n\nName: Ann Fell\nEmail: ann@fell.example\nHolding: 14 ha\n\nIs that enough?',
    ));
  it('below thanks, rules of dashes, and names that sign nothing', () => {
    kept('Many thanks.\n\nCould you send the plan of the lower meadow as well, and the one of the weir?');
    kept('First part.\n\n--\n\nThe second part goes on, as you can see.');
    kept('These come:\n\nAnn\nBen\nCarl\n\nShall we say ten o’clock?');
    kept('Sent from Leeds on Monday it would have been here by now.\n\nAsk them again?');
  });
  it('below a signature', () => {
    const { own: words, signature } = writtenPart(
      'The plan is here.\n\nBest wishes\nAnn\n\nI nearly forgot that the gate is broken, so come by the lane.',
      ['Ann Fell'],
    );
    expect(words).to.equal(
      'The plan is here.\n\nI nearly forgot that the gate is broken, so come by the lane.',
    );
    expect(signature).to.equal('Best wishes\nAnn');
  });
  it('above what a list puts below', () =>
    expect(
      writtenPart('Yes.\n\n**************\nTo remove yourself from this mailing list, write to x@y.example'),
    ).to.include({
      own: 'Yes.',
      footer: '**************\nTo remove yourself from this mailing list, write to x@y.example',
    }));
});
