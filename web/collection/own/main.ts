import '@fontsource-variable/literata/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import './own.css';
import { createApp } from 'vue';
import Own from './Own.vue';

createApp(Own).mount('#page');
