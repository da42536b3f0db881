<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { nextTick, ref } from 'vue';
import { z } from 'zod';
import { Correspondent, type Addressee } from '../../contract/index.ts';
import { get } from '../api.ts';

/** Whom a message is to: names as chips, found by name, role or address as one types. */
const people = defineModel<Addressee[]>({ required: true });
const props = defineProps<{ label: string; fileId: number | null; autofocus?: boolean }>();
const typed = ref('');
const found = ref<Correspondent[]>([]);
const at = ref(0);
const open = ref(false);
const input = ref<HTMLInputElement | null>(null);
const listId = `people-${props.label}`;

const look = useDebounceFn(async () => {
  try {
    found.value = await get(z.array(Correspondent), '/correspondents', {
      q: typed.value,
      file: props.fileId,
    });
    at.value = 0;
  } catch {
    // Without suggestions an address can still be typed.
    found.value = [];
  }
}, 120);
function focus() {
  open.value = true;
  void look();
}
function add(person: Addressee | undefined) {
  if (!person) return;
  if (!people.value.some((each) => each.email.toLowerCase() === person.email.toLowerCase()))
    people.value = [...people.value, { name: person.name, email: person.email }];
  typed.value = '';
  void look();
  void nextTick(() => input.value?.focus());
}
/** What was typed as it stands: an address, or `Name <address>`. */
function addTyped() {
  for (const part of typed.value.split(/[,;]\s*/).filter((each) => each.trim())) {
    const named = /^\s*"?([^"<]*?)"?\s*<([^>]+)>\s*$/.exec(part);
    add(named ? { name: named[1] ?? '', email: (named[2] ?? '').trim() } : { name: '', email: part.trim() });
  }
}
function key(event: KeyboardEvent) {
  if (event.key === 'ArrowDown') at.value = Math.min(at.value + 1, found.value.length - 1);
  else if (event.key === 'ArrowUp') at.value = Math.max(at.value - 1, 0);
  else if ((event.key === 'Enter' || event.key === 'Tab') && typed.value.trim()) {
    if (typed.value.includes('@') || !found.value[at.value]) addTyped();
    else add(found.value[at.value]);
  } else if (event.key === 'Enter' && open.value && found.value[at.value]) add(found.value[at.value]);
  else if ((event.key === ',' || event.key === ';') && typed.value.includes('@')) addTyped();
  else if (event.key === 'Backspace' && !typed.value) people.value = people.value.slice(0, -1);
  else if (event.key === 'Escape' && open.value) open.value = false;
  else return;
  if (event.key !== 'Tab') event.preventDefault();
  event.stopPropagation();
}
function leave() {
  open.value = false;
  if (typed.value.includes('@')) addTyped();
}
</script>

<template>
  <div class="people" @click="input?.focus()">
    <span class="label quiet" aria-hidden="true">{{ label }}</span>
    <span v-for="(person, index) in people" :key="person.email" class="person" :title="person.email">
      {{ person.name || person.email }}
      <button
        type="button"
        class="plain off"
        :aria-label="`Take ${person.name || person.email} off`"
        @click="people = people.filter((_, place) => place !== index)"
      >
        ×
      </button>
    </span>
    <input
      ref="input"
      v-model="typed"
      v-first="autofocus"
      :aria-label="label"
      role="combobox"
      :aria-expanded="open && found.length > 0"
      :aria-controls="listId"
      autocomplete="off"
      @focus="focus"
      @blur="leave"
      @input="look"
      @keydown="key"
    />
    <ul
      v-if="open && found.length"
      :id="listId"
      class="found"
      role="listbox"
      :aria-label="`People for ${label}`"
    >
      <li
        v-for="(person, index) in found"
        :key="person.email"
        role="option"
        :aria-selected="index === at"
        :class="{ on: index === at }"
        @mousedown.prevent="add(person)"
      >
        <strong>{{ person.name || person.email }}</strong>
        <span class="quiet">{{
          [person.role, person.name ? person.email : ''].filter(Boolean).join(' · ')
        }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.people {
  position: relative;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 6px;
  padding: 4px 10px;
  border-bottom: 1px solid var(--hairline);
  cursor: text;
}
.label {
  width: 52px;
}
.person {
  border: 1px solid var(--strong);
  border-radius: 2px;
  background: var(--page);
  padding: 1px 4px 1px 8px;
}
.off {
  padding: 0 4px;
  color: var(--ink-soft);
}
input {
  flex: 1;
  min-width: 120px;
  border: 0;
  background: none;
  font: inherit;
  padding: 4px 0;
}
.people input:focus-visible {
  outline: none;
}
.people:focus-within {
  box-shadow: inset 2px 0 var(--indigo);
}
.found {
  position: absolute;
  z-index: 5;
  left: 60px;
  top: 100%;
  min-width: 380px;
  max-height: 300px;
  overflow: auto;
  list-style: none;
  margin: 0;
  padding: 0;
  background: var(--sheet);
  border: 1px solid var(--strong);
}
.found li {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 6px 10px;
  cursor: pointer;
}
.found li.on {
  background: var(--rail);
}
</style>
