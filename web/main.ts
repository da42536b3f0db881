import '@fontsource-variable/literata/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import './base.css';
import 'vuetify/styles';
import './style.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.ts';
import { vuetify } from './theme.ts';
import { first } from './ui/first.ts';

createApp(App).use(createPinia()).use(router).use(vuetify).directive('first', first).mount('#app');
