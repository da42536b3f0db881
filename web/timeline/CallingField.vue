<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import { callNames } from '../../core/timeline/mentions.ts';
import { useSession } from '../session.ts';

/** Words in which an `@` calls a colleague: whoever is meant is offered while one types. */
const words = defineModel<string>({ required: true });
const props = defineProps<{
  label: string;
  rows?: number;
  errorMessages?: readonly string[];
  autofocus?: boolean;
}>();
const session = useSession();
const field = ref<{ $el: HTMLElement } | null>(null);
const begun = ref<string | null>(null);
const chosen = ref(0);
const colleagues = computed(() => {
  const { staff, colleagues: others = [] } = session.session ?? {};
  return others.filter(({ id }) => id !== staff?.id);
});
const offers = computed(() => {
  const typed = begun.value?.toLowerCase();
  if (typed === undefined) return [];
  const names = callNames(colleagues.value).filter(({ name }) => name.toLowerCase().startsWith(typed));
  return colleagues.value.filter(({ id }) => names.some((each) => each.id === id)).slice(0, 6);
});
const area = () => field.value?.$el.querySelector('textarea') ?? null;

/** What is typed of a name after the last `@` before the caret. */
function look() {
  const before = words.value.slice(0, area()?.selectionStart ?? words.value.length);
  const found = /(?:^|[^\p{L}\p{N}])@([\p{L}’' -]{0,40})$/u.exec(before);
  begun.value = found ? (found[1] ?? '') : null;
  chosen.value = 0;
}
async function call(name: string) {
  const caret = area()?.selectionStart ?? words.value.length;
  const from = caret - (begun.value?.length ?? 0);
  words.value = `${words.value.slice(0, from)}${name} ${words.value.slice(caret)}`;
  begun.value = null;
  await nextTick();
  area()?.focus();
  area()?.setSelectionRange(from + name.length + 1, from + name.length + 1);
}
function key(event: KeyboardEvent) {
  const offer = offers.value[chosen.value];
  if (!offer) return;
  if (event.key === 'ArrowDown') chosen.value = (chosen.value + 1) % offers.value.length;
  else if (event.key === 'ArrowUp')
    chosen.value = (chosen.value + offers.value.length - 1) % offers.value.length;
  else if (event.key === 'Enter' || event.key === 'Tab') void call(offer.name);
  else if (event.key === 'Escape') begun.value = null;
  else return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <div class="calling">
    <v-textarea
      ref="field"
      v-model="words"
      v-first="autofocus"
      :label="props.label"
      :rows="rows ?? 3"
      auto-grow
      :error-messages="errorMessages"
      @input="look"
      @click="look"
      @keydown="key"
      @blur="begun = null"
    />
    <ul v-if="offers.length" class="offers" role="listbox" aria-label="Call a colleague">
      <li v-for="(offer, index) in offers" :key="offer.id" role="option" :aria-selected="index === chosen">
        <button type="button" class="plain" tabindex="-1" @mousedown.prevent="call(offer.name)">
          @{{ offer.name }}
        </button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.calling {
  position: relative;
}
.offers {
  position: absolute;
  z-index: 2;
  left: 8px;
  top: 100%;
  margin: -4px 0 0;
  padding: 4px 0;
  list-style: none;
  background: var(--sheet);
  border: 1px solid var(--strong);
  min-width: 200px;
}
.offers li {
  display: block;
}
.offers button {
  display: block;
  width: 100%;
  padding: 3px 12px;
}
.offers [aria-selected='true'] {
  background: var(--spruce-pale);
}
</style>
