<script setup lang="ts">
import { onKeyStroke } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import KeyCap from '../parts/KeyCap.vue';
import { SCREENS, screenPath } from '../screens.ts';
import { useSession } from '../session.ts';
import { useSearching } from '../parts/searching.ts';

const router = useRouter();
const session = useSession();
const input = ref<HTMLInputElement | null>(null);
const words = ref('');
const open = ref(false);
const at = ref(0);
const { hits, settled } = useSearching(words);

const choices = computed(() => [
  ...hits.value.clients.map((client) => ({
    key: `c${client.id}`,
    words: client.name,
    more: client.place,
    to: `/clients/${client.id}`,
  })),
  ...hits.value.files.map((file) => ({
    key: `f${file.id}`,
    words: `${file.number} ${file.title}`,
    more: file.clientName,
    to: `/clients/${file.clientId}?file=${file.id}`,
  })),
  ...SCREENS.filter(
    ({ title, find, right }) =>
      find &&
      (!right || session.may(right)) &&
      words.value &&
      title.toLowerCase().startsWith(words.value.toLowerCase()),
  ).map(({ title, path }) => ({ key: path, words: title, more: 'screen', to: screenPath(path) })),
  ...(words.value.trim().length > 2
    ? [
        {
          key: 'mail',
          words: `Mail with “${words.value.trim()}”`,
          more: 'search the mail',
          to: `/mail?q=${encodeURIComponent(words.value.trim())}`,
        },
      ]
    : []),
]);
watch(hits, () => (at.value = 0));
async function enter() {
  const meant = words.value;
  await settled();
  if (words.value === meant) go(at.value);
}
watch(words, () => {
  open.value = true;
});

onKeyStroke('/', (event) => {
  if ((event.target as HTMLElement).closest('input, textarea, [contenteditable="true"]')) return;
  event.preventDefault();
  input.value?.focus();
});

function go(index: number) {
  const choice = choices.value[index];
  if (!choice) return;
  words.value = '';
  open.value = false;
  input.value?.blur();
  void router.push(choice.to);
}
function key(event: KeyboardEvent) {
  if (event.key === 'ArrowDown') at.value = Math.min(at.value + 1, choices.value.length - 1);
  else if (event.key === 'ArrowUp') at.value = Math.max(at.value - 1, 0);
  else if (event.key === 'Enter') void enter();
  else if (event.key === 'Escape') {
    open.value = false;
    input.value?.blur();
  } else return;
  event.preventDefault();
}
</script>

<template>
  <div class="finder">
    <input
      ref="input"
      v-model="words"
      type="text"
      role="combobox"
      aria-label="Find a client, file, message or screen"
      aria-controls="finder-list"
      :aria-expanded="open && choices.length > 0"
      placeholder="Find a client, file, message or screen"
      @keydown="key"
      @blur="open = false"
      @focus="open = true"
    />
    <KeyCap letter="/" class="cap" />
    <ul
      v-show="open && words && choices.length"
      id="finder-list"
      role="listbox"
      aria-label="Found"
      class="sheet"
    >
      <li
        v-for="(choice, index) in choices"
        :key="choice.key"
        role="option"
        :aria-selected="index === at"
        :class="{ on: index === at }"
        @mousedown.prevent="go(index)"
      >
        <span>{{ choice.words }}</span><span class="quiet">{{ choice.more }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.finder {
  position: relative;
  width: 420px;
  flex: 0 1 420px;
}
input {
  width: 100%;
  padding: 6px 34px 6px 10px;
  border: 1px solid var(--strong);
  border-radius: 2px;
  background: var(--page);
  font: inherit;
}
input::placeholder {
  color: var(--ink-soft);
  opacity: 1;
}
.cap {
  position: absolute;
  right: 8px;
  top: 7px;
}
ul {
  position: absolute;
  z-index: 20;
  top: 36px;
  left: 0;
  right: -80px;
  margin: 0;
  padding: 4px 0;
  list-style: none;
  max-height: 420px;
  overflow: auto;
  border-color: var(--strong);
}
li {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 6px 12px;
  cursor: pointer;
}
li.on {
  background: var(--rail);
}
</style>
