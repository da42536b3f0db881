/**
 * Reads an mbox (RFC 4155) of the mboxrd kind: each message starts at a `From ` line after an empty
 * line or at the top; a line of the message matching `^>+From ` gives one `>` back; the empty line
 * that ends each message is not part of it.
 */
export function* readMbox(bytes: Uint8Array): Generator<Uint8Array> {
  const starts: number[] = [];
  let emptyBefore = true;
  for (let at = 0; at < bytes.length;) {
    let end = bytes.indexOf(10, at);
    if (end < 0) end = bytes.length;
    if (emptyBefore && startsWith(bytes, at, FROM)) starts.push(at);
    emptyBefore = end === at || (end === at + 1 && bytes[at] === 13);
    at = end + 1;
  }
  for (const [index, start] of starts.entries()) {
    const next = starts[index + 1] ?? bytes.length;
    const firstLine = bytes.indexOf(10, start);
    yield unquote(bytes.subarray(firstLine < 0 ? next : firstLine + 1, next));
  }
}

const FROM = [70, 114, 111, 109, 32];
const GREATER = 62;

function startsWith(bytes: Uint8Array, at: number, what: readonly number[]): boolean {
  return what.every((byte, index) => bytes[at + index] === byte);
}

function unquote(message: Uint8Array): Uint8Array {
  const out = new Uint8Array(message.length);
  let length = 0;
  for (let at = 0; at < message.length;) {
    let end = message.indexOf(10, at);
    end = end < 0 ? message.length : end + 1;
    let mark = at;
    while (message[mark] === GREATER) mark++;
    const from = mark > at && startsWith(message, mark, FROM) ? at + 1 : at;
    out.set(message.subarray(from, end), length);
    length += end - from;
    at = end;
  }
  const last = out.subarray(0, length);
  if (length >= 2 && last[length - 1] === 10 && last[length - 2] === 10) return last.subarray(0, length - 1);
  if (length >= 4 && last[length - 1] === 10 && last[length - 3] === 10 && last[length - 2] === 13) {
    return last.subarray(0, length - 2);
  }
  return last;
}
