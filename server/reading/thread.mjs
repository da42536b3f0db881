// Threads do not inherit the loader of TypeScript: this lets the rest be written in it.
import { register } from 'tsx/esm/api';

register();
await import('./thread.ts');
