const find = document.querySelector('#find');
const people = document.querySelector('#people');
const desk = document.querySelector('#desk');
let staff = [];
let chosen = null;

const WAYS = {
  ordinary: 'answers as people do',
  'other-address': 'answers from another address',
  'no-references': 'answers without threading',
  'out-of-office': 'out of the office',
  unknown: 'the address does not exist',
  reported: 'accepted, then returned',
  full: 'the mailbox is full',
  later: 'their server says “later” first',
  silent: 'never answers',
};

function element(name, properties = {}, ...children) {
  const node = Object.assign(document.createElement(name), properties);
  node.append(...children);
  return node;
}

async function ask(path, body) {
  const response = await fetch(
    path,
    body && { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
  );
  const answer = await response.json();
  if (!response.ok) throw new Error(answer.message);
  return answer;
}

async function listPeople() {
  const answer = await ask(`/api/people?q=${encodeURIComponent(find.value)}`);
  staff = answer.staff;
  document.querySelector('#count').textContent =
    `${answer.total} people${answer.total > 60 ? ', the first 60 shown' : ''}`;
  people.replaceChildren(
    ...answer.people.map((person) => {
      const button = element(
        'button',
        { type: 'button', onclick: () => open(person) },
        element(
          'span',
          {},
          element('b', { textContent: person.name || person.address }),
          element('br'),
          person.address,
        ),
        String(person.received || ''),
      );
      button.setAttribute('aria-current', String(chosen?.address === person.address));
      return element('li', {}, button);
    }),
  );
}

function writer(caption, fields, send) {
  const text = element('textarea', { rows: 4, ariaLabel: caption });
  const problem = element('p', { className: 'error' });
  problem.setAttribute('role', 'alert');
  const form = element('form', {}, ...fields, text, element('button', { textContent: caption }), problem);
  form.onsubmit = async (event) => {
    event.preventDefault();
    try {
      await send(text.value);
      text.value = '';
      problem.textContent = 'Sent.';
    } catch (error) {
      problem.textContent = error.message;
    }
  };
  return form;
}

async function open(person) {
  chosen = person;
  await listPeople();
  const letters = await ask(`/api/inbox?address=${encodeURIComponent(person.address)}`);
  const to = element(
    'select',
    { className: 'wide' },
    ...staff.map((member) => element('option', { value: member.address, textContent: member.name })),
  );
  const subject = element('input', { className: 'wide' });
  desk.replaceChildren(
    element('h2', { textContent: person.name || person.address }),
    element('p', { className: 'quiet', textContent: `${person.address}: ${WAYS[person.behaviour]}` }),
    element(
      'details',
      {},
      element('summary', { textContent: 'Write to the firm' }),
      writer(
        'Send as this person',
        [element('label', {}, 'To', to), element('label', {}, 'Subject', subject)],
        (text) => ask('/api/write', { address: person.address, to: to.value, subject: subject.value, text }),
      ),
    ),
    element('h3', { textContent: letters.length ? 'Received' : 'Nothing received yet' }),
    ...letters.map((letter) =>
      element(
        'article',
        {},
        element('h3', { textContent: letter.subject || '(no subject)' }),
        element('p', {
          className: 'quiet',
          textContent: `${letter.from}, ${new Date(letter.date).toLocaleString()}`,
        }),
        element('pre', { textContent: letter.text }),
        element(
          'details',
          {},
          element('summary', { textContent: 'Answer' }),
          writer('Answer as this person', [], (text) =>
            ask('/api/answer', { address: person.address, uid: letter.uid, text }),
          ),
        ),
      ),
    ),
  );
}

async function clock(body) {
  const answer = await ask('/api/clock', body);
  document.querySelector('#speed').value = answer.speed;
  document.querySelector('#waiting').textContent = answer.waiting
    ? `${answer.waiting} things still to happen`
    : 'Nothing waiting to happen';
}

async function listTelephones() {
  const telephones = await ask('/api/telephones');
  // Nobody's half-written answer is taken away.
  if (document.activeElement?.closest('#telephones')) return;
  document.querySelector('#telephones').replaceChildren(
    ...(telephones.length
      ? []
      : [element('p', { className: 'quiet', textContent: 'No telephone has been written to yet.' })]),
    ...telephones.map(({ number, lines }) =>
      element(
        'details',
        {},
        element('summary', { textContent: `${number} (${lines.length})` }),
        ...lines.map(({ ours, text, at }) =>
          element(
            'p',
            {},
            element('b', { textContent: ours ? 'answered ' : 'got ' }),
            text,
            ' ',
            element('span', { className: 'quiet', textContent: new Date(at).toLocaleTimeString() }),
          ),
        ),
        writer('Answer from this telephone', [], (text) =>
          ask('/api/telephones/answer', { from: number, text }),
        ),
      ),
    ),
  );
}

document.querySelector('#clock').onsubmit = (event) => {
  event.preventDefault();
  void clock({ speed: Number(document.querySelector('#speed').value) });
};
find.oninput = () => void listPeople();
void listPeople();
void clock();
void listTelephones();
setInterval(() => void listTelephones(), 5000);
