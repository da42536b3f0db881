import { checkNode, installModules, installPackages, loadTypeScript } from './prepare.mjs';

/** `npm run bench -- sync`, `-- dispatch`, `-- filing`, `-- find`, `-- rest`, `-- import` or `-- selection`: what we measure, each figure beside its limit in the same run. */
checkNode();
installPackages(['mariadb-server']);
installModules();
await loadTypeScript();
await import('../bench/main.ts');
