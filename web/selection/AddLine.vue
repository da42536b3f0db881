<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import { beginTest, factsAbout, RELATIONS, type Among } from '../../core/selection/catalogue.ts';
import type { Line } from '../../core/selection/tree.ts';
import { useCatalogue } from './catalogue.ts';

/** One more line: of every fact there is, of what hangs on the record, or a group. Found by a few letters. */
const props = defineProps<{ among: Among; through?: string | undefined; label: string; groups: boolean }>();
const emit = defineEmits<{ add: [line: Line] }>();
const catalogue = useCatalogue();
const open = ref(false);
const words = ref('');
const at = ref(0);
const field = ref<HTMLInputElement | null>(null);
const listed = ref<HTMLElement | null>(null);

interface Offer {
  title: string;
  kind: string;
  line: Line;
}
const offers = computed((): Offer[] => {
  const facts = factsAbout(catalogue.facts, props.among, props.through)
    .filter(({ gone }) => !gone)
    .map((fact): Offer => ({
      title: fact.label,
      kind: fact.key.startsWith('field:') ? 'own field' : '',
      line: { fact: fact.key, test: beginTest(fact) },
    }));
  const related = Object.entries(RELATIONS)
    .filter(([, { of }]) => of === props.among)
    .map(([through, { label }]): Offer => ({
      title: label,
      kind: 'with lines of their own',
      line: { through, has: true, of: [] },
    }));
  const groups: Offer[] = props.groups
    ? [
        { title: 'Any of these', kind: 'group', line: { match: 'any', of: [] } },
        { title: 'None of these', kind: 'group', line: { match: 'none', of: [] } },
        { title: 'All of these', kind: 'group', line: { match: 'all', of: [] } },
      ]
    : [];
  return [...facts, ...related, ...groups];
});
const found = computed(() => {
  const wanted = words.value.trim().toLowerCase();
  return offers.value.filter(({ title }) => title.toLowerCase().includes(wanted));
});
async function show(now: boolean) {
  if (!now) return;
  words.value = '';
  at.value = 0;
  await nextTick();
  setTimeout(() => field.value?.focus(), 30);
}
function take(offer: Offer | undefined) {
  if (!offer) return;
  open.value = false;
  emit('add', structuredClone(offer.line));
}
function step(by: number) {
  at.value = Math.min(Math.max(at.value + by, 0), found.value.length - 1);
  void nextTick(() => listed.value?.querySelector('.at')?.scrollIntoView({ block: 'nearest' }));
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" @update:model-value="show">
    <template #activator="{ props: opener }">
      <button v-bind="opener" type="button" class="plain add">+ {{ label }}</button>
    </template>
    <div class="sheet offers">
      <input
        ref="field"
        v-model="words"
        type="text"
        class="words"
        aria-label="Find what to select by"
        placeholder="Type a few letters"
        @input="at = 0"
        @keydown.down.prevent="step(1)"
        @keydown.up.prevent="step(-1)"
        @keydown.enter.prevent="take(found[at])"
        @keydown.esc.prevent="open = false"
      />
      <ul ref="listed" role="listbox" aria-label="What can be selected by">
        <li
          v-for="(offer, index) in found"
          :key="`${offer.title} ${offer.kind}`"
          role="option"
          :aria-selected="index === at"
          :class="{ at: index === at }"
          @click="take(offer)"
          @mousemove="at = index"
        >
          {{ offer.title }} <span class="quiet">{{ offer.kind }}</span>
        </li>
        <li v-if="!found.length" class="quiet none">Nothing is called that. Fields are made in Settings.</li>
      </ul>
    </div>
  </v-menu>
</template>

<style scoped>
.add {
  padding: 7px 0;
  color: var(--spruce);
  font-weight: 700;
}
.offers {
  width: 320px;
  border-color: var(--strong);
}
.words {
  width: 100%;
  padding: 8px 12px;
  border: 0;
  border-bottom: 1px solid var(--strong);
  font: inherit;
  background: none;
}
ul {
  list-style: none;
  margin: 0;
  padding: 4px 0;
  max-height: 320px;
  overflow: auto;
}
li {
  padding: 4px 12px;
  cursor: pointer;
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
li.at {
  background: var(--rail);
}
.none {
  cursor: default;
}
</style>
