import { checkNode, installModules, installPackages, loadTypeScript } from './prepare.mjs';

checkNode();
installPackages(['mariadb-server']);
installPackages(['poppler-utils'], { optional: true });
if (process.argv.includes('--cluster')) installPackages(['haproxy']);
installModules();
await loadTypeScript();
await import('./start.ts');
