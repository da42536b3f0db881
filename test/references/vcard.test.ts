import { expect } from 'chai';
import { guessColumns } from '../../core/import/columns.ts';
import { readTable } from '../../core/import/table.ts';
import { NoTable } from '../../core/import/text.ts';
import { cardOf } from '../../server/records/takeOut.ts';

/** RFC 2426, section 7, "Example": both authors, as they stand there but for organisation and URL. */
const OF_1998 = `BEGIN:vCard
VERSION:3.0
FN:Frank Dawson
ADR;TYPE=WORK,POSTAL,PARCEL:;;6544 Battleford Drive
 ;Raleigh;NC;27613-3502;U.S.A.
TEL;TYPE=VOICE,MSG,WORK:+1-919-676-9515
TEL;TYPE=FAX,WORK:+1-919-676-9564
EMAIL;TYPE=INTERNET,PREF:Frank_Dawson@Lotus.com
EMAIL;TYPE=INTERNET:fdawson@earthlink.net
END:vCard


BEGIN:vCard
VERSION:3.0
FN:Tim Howes
ADR;TYPE=WORK:;;501 E. Middlefield Rd.;Mountain View;
 CA; 94043;U.S.A.
TEL;TYPE=VOICE,MSG,WORK:+1-415-937-3419
TEL;TYPE=FAX,WORK:+1-415-528-4164
EMAIL;TYPE=INTERNET:howes@netscape.com
END:vCard
`;

/** RFC 6350, section 8, "Example: Author's vCard", as it stands there but for KEY and URL. */
const OF_2011 = `BEGIN:VCARD
VERSION:4.0
FN:Simon Perreault
N:Perreault;Simon;;;ing. jr,M.Sc.
BDAY:--0203
ANNIVERSARY:20090808T1430-0500
GENDER:M
LANG;PREF=1:fr
LANG;PREF=2:en
ORG;TYPE=work:Viagenie
ADR;TYPE=work:;Suite D2-630;2875 Laurier;
 Quebec;QC;G1V 2M2;Canada
TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-656-9254;ext=102
TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-418-262-6501
EMAIL;TYPE=work:simon.perreault@viagenie.ca
GEO;TYPE=work:geo:46.772673,-71.282945
TZ:-0500
END:VCARD
`;
const bytes = (text: string) => new TextEncoder().encode(text.replace(/\n/g, '\r\n'));
const cells = (text: string) => {
  const { header, rows } = readTable(bytes(text));
  return rows.map((row) => Object.fromEntries(header.map((heading, at) => [heading, row[at] ?? ''])));
};

describe('business cards', () => {
  it('are those of RFC 2426, section 7 (vCard 3.0)', () => {
    const [one, two] = cells(OF_1998);
    expect(one).to.include({
      'First name': 'Frank',
      'Last name': 'Dawson',
      'Email address': 'Frank_Dawson@Lotus.com; fdawson@earthlink.net',
      Mobile: '+1-919-676-9515',
      'Postal address': '6544 Battleford Drive\nRaleigh NC 27613-3502',
      Country: 'U.S.A.',
    });
    expect(two).to.include({
      'Last name': 'Howes',
      'Postal address': '501 E. Middlefield Rd.\nMountain View CA 94043',
    });
  });

  it('are that of RFC 6350, section 8 (vCard 4.0)', () => {
    expect(cells(OF_2011)).to.deep.include.members([
      {
        Client: 'Viagenie',
        Title: '',
        'First name': 'Simon',
        'Last name': 'Perreault',
        Role: '',
        'Email address': 'simon.perreault@viagenie.ca',
        Mobile: '+1-418-656-9254; +1-418-262-6501',
        'Postal address': 'Suite D2-630\n2875 Laurier\nQuebec QC G1V 2M2',
        Country: 'Canada',
        Notes: '',
        Tags: '',
      },
    ]);
  });

  it('are understood column by column without a hand', () => {
    const { header, rows } = readTable(bytes(OF_2011));
    expect(guessColumns(header, rows, [])).to.deep.equal([
      'client.name',
      'person.title',
      'person.firstName',
      'person.lastName',
      'person.role',
      'person.email',
      'person.phone',
      'client.postal',
      'client.country',
      'client.note',
      'client.tags',
    ]);
  });

  it('come back from those taken out here, commas, semicolons and line ends too', () => {
    const card = cardOf({
      first: 'Agnes; “Ag”',
      last: 'Garrowby, sr',
      title: 'Dr',
      role: 'Owner',
      clients: ['Garrowby Estate', 'Mill, Lane & Co'],
      postal: ['1 Mill Lane', 'Upper Tarn'],
      country: 'GB',
      emails: ['a@x.example', 'b@x.example'],
      phones: ['01632 960961'],
    });
    const rows = cells(card);
    expect(rows.map(({ Client }) => Client)).to.deep.equal(['Garrowby Estate', 'Mill, Lane & Co']);
    expect(rows[0]).to.include({
      Title: 'Dr',
      'First name': 'Agnes; “Ag”',
      'Last name': 'Garrowby, sr',
      Role: 'Owner',
      'Email address': 'a@x.example; b@x.example',
      'Postal address': '1 Mill Lane, Upper Tarn',
      Country: 'GB',
    });
  });

  it('are told what is wrong with them, and one that is broken costs nothing but itself', () => {
    expect(() => readTable(bytes('BEGIN:VCARD\nVERSION:2.1\nN:A;B\nEND:VCARD\n'))).to.throw(
      NoTable,
      'older kind',
    );
    expect(() => readTable(bytes('BEGIN:VCARD\nVERSION:4.0\nFN:A\n'))).to.throw(NoTable, 'no card');
    const broken = `BEGIN:VCARD\nVERSION:4.0\nFN\nEND:VCARD\n${OF_2011}`;
    const rows = readTable(bytes(broken)).rows;
    expect(rows).to.have.length(2);
    expect(rows[0]?.every((cell) => cell === '')).to.equal(true);
    const picture = OF_2011.replace('GENDER:M', `PHOTO:data:image/png;base64,${'A'.repeat(5e6)}`);
    const began = performance.now();
    expect(readTable(bytes(picture)).rows).to.have.length(1);
    expect(performance.now() - began).to.be.below(2000);
  });
});
