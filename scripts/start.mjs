import { checkNode, installModules, installPackages, loadTypeScript, offerPackage } from './prepare.mjs';

checkNode();
installPackages(['mariadb-server']);
installPackages(['poppler-utils'], { optional: true });
if (process.argv.includes('--libreoffice')) installPackages(['libreoffice-writer-nogui'], { optional: true });
offerPackage(
  'libreoffice-writer-nogui',
  'LibreOffice is not installed: letters made of word-processor templates stay .docx, and cannot be printed from here.',
  'npm start -- --libreoffice',
);
if (process.argv.includes('--cluster')) installPackages(['haproxy']);
installModules();
await loadTypeScript();
await import('./start.ts');
