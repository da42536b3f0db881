import { fromBuffer, type Entry, type ZipFile } from 'yauzl';

/** So much may come out of an archive, in bytes, and so many files; more is taken for an attack (a zip bomb). */
const MOST_BYTES = 60 * 1024 * 1024;
const MOST_ENTRIES = 2000;

/**
 * Goes through an archive without keeping anything of it, and finds whether it is what it says of itself: whoever
 * unpacks it afterwards gets no more than was counted here.
 * @throws Error in words, when it is broken or comes to too much
 */
export async function refuseZipBomb(bytes: Uint8Array): Promise<void> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    fromBuffer(Buffer.from(bytes), { lazyEntries: true, validateEntrySizes: true }, (error, opened) =>
      opened ? resolve(opened) : reject(error ?? new Error('It is no archive.')),
    ),
  );
  if (zip.entryCount > MOST_ENTRIES) throw new Error('It holds too many files.');
  let sum = 0;
  await new Promise<void>((resolve, reject) => {
    zip.on('error', reject);
    zip.on('end', resolve);
    zip.on('entry', (entry: Entry) => {
      sum += entry.uncompressedSize;
      if (sum > MOST_BYTES) return reject(new Error('It unpacks to more than a document would.'));
      // A stream ends with an error as soon as more comes than the entry says (yauzl, `validateEntrySizes`).
      zip.openReadStream(entry, (error, stream) => {
        if (!stream) return reject(error ?? new Error('It cannot be unpacked.'));
        stream.on('error', reject);
        stream.on('end', () => zip.readEntry());
        stream.resume();
      });
    });
    zip.readEntry();
  }).finally(() => zip.close());
}
