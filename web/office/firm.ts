import { computed } from 'vue';
import { FirmView, type FirmField, type FirmSettings } from '../../contract/index.ts';
import { send } from '../api.ts';
import { useLoad } from '../ui/load.ts';
import { useRecord, type RecordForm } from '../ui/record.ts';

/** What each of the firm's settings is called. */
export const FIRM_LABELS: Record<FirmField, string> = {
  name: 'Name',
  domains: 'Domains',
  postal: 'Postal address',
  phone: 'Telephone',
  country: 'Country',
  webAddress: 'Address of Patient Clerk',
  counting: 'Counting of openings',
  pageDays: 'Days of clients’ pages',
  frame: 'Frame of newsletters',
  paper: 'Letter paper',
  ways: 'Ways of sending',
  reminders: 'Reminders',
  zone: 'Time zone',
  notice: 'Notice',
  hours: 'Working hours',
  holidays: 'Holidays',
  numberExamples: 'File numbers',
  numbersAnew: 'Begins anew each year',
  personalFolders: 'Personal folders',
  freemail: 'Freemail domains',
  secondStep: 'Second step',
};

const EMPTY: FirmSettings = {
  name: '',
  domains: [],
  postal: [],
  phone: '',
  country: '',
  webAddress: '',
  counting: true,
  pageDays: 90,
  frame: { logo: null, logoWidth: 180, colour: '', footer: '', signatures: false },
  paper: {
    logo: null,
    logoWidth: 40,
    colour: '',
    reach: '',
    foot: '',
    window: 'left',
    foldMarks: true,
    currency: 'GBP',
    taxName: '',
    howToPay: '',
  },
  ways: { letters: 'email', statements: 'email', mailings: 'email' },
  reminders: { daily: false, at: '', days: [], after: 7, every: 14, most: 3, releasedBy: null },
  zone: '',
  notice: '',
  hours: { days: [], from: '', until: '' },
  holidays: [],
  numberExamples: [],
  numbersAnew: false,
  personalFolders: [],
  freemail: [],
  secondStep: false,
};

function picked<F extends FirmField>(settings: FirmSettings, fields: readonly F[]): Pick<FirmSettings, F> {
  const some: Partial<FirmSettings> = {};
  for (const field of fields) some[field] = settings[field];
  return some as Pick<FirmSettings, F>;
}

/** Some of the firm's settings, to be changed on one page. */
export function useFirm<F extends FirmField>(
  fields: readonly F[],
): { record: RecordForm<Pick<FirmSettings, F>>; firm: ReturnType<typeof useLoad<typeof FirmView>> } {
  const firm = useLoad(FirmView, () => '/office/firm', { concerns: { records: true } });
  const own = computed(() => {
    const now = firm.data.value;
    return now && picked(now, fields);
  });
  const empty = picked(EMPTY, fields);
  const record = useRecord(
    () => own.value,
    empty,
    async (change) => {
      const made = await send('PUT', FirmView, '/office/firm', change);
      firm.data.value = made;
      return picked(made, fields);
    },
  );
  return { record, firm };
}

/** Lines of a text box as a list, and back. */
export const asLines = {
  read: (list: readonly string[]) => list.join('\n'),
  write: (text: string) => text.split('\n').map((line) => line.trim()),
};
