import { benchDispatch } from './dispatch.ts';
import { benchDoubles } from './doubles.ts';
import { benchFind } from './find.ts';
import { benchFiling } from './filing.ts';
import { benchImport } from './import.ts';
import { benchOrders } from './orders.ts';
import { benchPaperwork } from './paperwork.ts';
import { benchRest } from './rest.ts';
import { benchResults } from './results.ts';
import { benchSelection } from './selection.ts';
import { benchSettle } from './settle.ts';
import { benchSync } from './sync.ts';

const BENCHES: Record<string, (size: number | undefined) => Promise<void>> = {
  sync: benchSync,
  settle: benchSettle,
  dispatch: benchDispatch,
  filing: benchFiling,
  find: benchFind,
  rest: benchRest,
  import: benchImport,
  selection: benchSelection,
  doubles: benchDoubles,
  results: benchResults,
  paperwork: benchPaperwork,
  orders: benchOrders,
};
const [name = '', size] = process.argv.slice(2).filter((argument) => argument !== '--');
const bench = BENCHES[name];
if (!bench) {
  console.error(`usage: npm run bench -- ${Object.keys(BENCHES).join(' | ')} [how many]`);
  process.exit(2);
}
await bench(size ? Number(size) : undefined);
