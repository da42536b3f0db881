import { checkNode, installModules, installPackages, loadTypeScript } from './prepare.mjs';

checkNode();
installPackages(['mariadb-server']);
installModules();
await loadTypeScript();
await import('./start.ts');
