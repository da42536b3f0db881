// A thread does not inherit its process's loader of TypeScript.
import { register } from 'tsx/esm/api';

register();
await import('./readingThread.ts');
