import { fileURLToPath } from 'node:url';
import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';
import vuetify from 'vite-plugin-vuetify';

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url));
const api = process.env.API_ADDRESS ?? 'http://127.0.0.1:4310';

export default defineConfig({
  root: here('web'),
  // Layout by Prettier keeps meaningful white space; so must the compiler.
  plugins: [
    vue({ template: { compilerOptions: { whitespace: 'preserve' } } }),
    vuetify({ autoImport: true }),
  ],
  build: {
    outDir: here('dist'),
    emptyOutDir: true,
    chunkSizeWarningLimit: 3000,
    // The frame that shows PDFs is a page of its own, with an origin of its own; the app for clients is one too.
    rollupOptions: {
      input: { main: here('web/index.html'), look: here('web/look.html'), client: here('web/client.html') },
    },
  },
  // Every screen is looked through at the start, so that opening one does not bundle anew and reload.
  optimizeDeps: {
    entries: ['main.ts', '**/*.vue'],
    include: ['echarts/core', 'echarts/charts', 'echarts/components', 'echarts/renderers'],
  },
  server: {
    host: '127.0.0.1',
    fs: { allow: [here('.')] },
    proxy: { '^/(?:api|out|client)/': { target: api } },
  },
});
