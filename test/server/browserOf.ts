import type { Express } from 'express';
import request from 'supertest';

/** What answers as the browser of one person does: it keeps the session's cookie. */
export function browserOf(app: Express) {
  let cookie = '';
  const ask = async (method: 'get' | 'post' | 'put' | 'delete', path: string, body?: object) => {
    const asked = request(app)[method](`/api${path}`).set('cookie', cookie);
    const answer = await (method === 'get' ? asked : asked.send(body ?? {}));
    const set = answer.headers['set-cookie'] as unknown as string[] | undefined;
    if (set?.[0]) cookie = set[0].split(';')[0] ?? '';
    return answer;
  };
  return {
    ask,
    signIn: (email: string, password: string, code = '') =>
      ask('post', '/session', { email, password, code }),
  };
}
