<script lang="ts">
/** Where a line is moved by its keys. */
export type Move = 'up' | 'down' | 'in' | 'out';
</script>

<script setup lang="ts">
import { mdiDragVertical } from '@mdi/js';
import { computed, nextTick, ref, watch } from 'vue';
import { relationOf, type Among } from '../../core/selection/catalogue.ts';
import { clause, factOf, HEADS, type Problem } from '../../core/selection/explain.ts';
import { isGroup, isRelated, isSaid, MATCHES, type Line, type Match } from '../../core/selection/tree.ts';
import { useCatalogue } from './catalogue.ts';
import { useEditing } from './editing.ts';
import LineList, { type LineAccount } from './LineList.vue';
import TestField from './TestField.vue';

/** One line of a selection: read as words, opened to be changed; with what it takes away and what remains. */
const line = defineModel<Line>({ required: true });
const props = defineProps<{
  among: Among;
  through?: string | undefined;
  account: LineAccount;
  problems: Problem[];
  path: number[];
  depth: number;
  /** The group it stands in; it stays open when the line is done with. */
  owner?: Line | undefined;
}>();
const emit = defineEmits<{ remove: []; move: [where: Move]; drag: []; out: [line: Line] }>();
const catalogue = useCatalogue();
const editing = useEditing();
const fields = ref<HTMLElement | null>(null);
const reading = ref<HTMLButtonElement | null>(null);

const fact = computed(() =>
  'fact' in line.value ? factOf(catalogue.facts, line.value, props.among, props.through) : undefined,
);
/** A group or what hangs on the record is open as long as anything in it is. */
const isWithin = (one: Line, other: Line | null): boolean =>
  one === other || ('of' in one && one.of.some((each) => isWithin(each, other)));
const open = computed(() => isWithin(line.value, editing.open.value));
const words = computed(() => {
  const said = clause(line.value, props.among, catalogue.facts, props.through)
    .replace(/^whose /, '')
    .replace(/^(who|which) /, '');
  return said.charAt(0).toUpperCase() + said.slice(1);
});
const unsaid = computed(() => 'fact' in line.value && !isSaid(line.value));
const own = computed(() => props.problems.find(({ path }) => path.join() === props.path.join())?.words ?? '');
const within = computed(() =>
  props.problems.some(
    ({ path }) => path.length > props.path.length && path.join().startsWith(`${props.path.join()},`),
  ),
);
const takes = computed(() => {
  const { before, left } = props.account;
  return before === null || left === null ? null : before - left;
});
const figures = (value: number | null) => (value === null ? '' : value.toLocaleString('en-GB'));

watch(
  () => editing.open.value === line.value,
  async (now) => {
    if (!now) return;
    await nextTick();
    // The menu it came from gives the focus back as it closes.
    await new Promise((resolve) => setTimeout(resolve, 60));
    // What is to be given first: a choice, a number, words; else how.
    const given = fields.value?.querySelector<HTMLElement>('.test > :nth-child(2) input[id]');
    (given ?? fields.value?.querySelector<HTMLElement>('input[id]'))?.focus();
  },
  { immediate: true },
);
function close() {
  editing.open.value = props.owner ?? null;
  void nextTick(() => reading.value?.focus());
}
const KEYS: Record<string, Move> = { ArrowUp: 'up', ArrowDown: 'down', ArrowRight: 'in', ArrowLeft: 'out' };
function onKey(event: KeyboardEvent) {
  const where = KEYS[event.key];
  if (where && event.altKey) {
    event.preventDefault();
    emit('move', where);
  } else if (event.key === 'Delete') emit('remove');
}
const matches = MATCHES.map((match) => ({ value: match, title: HEADS[match] }));
const relation = computed(() => (isRelated(line.value) ? relationOf(line.value.through) : undefined));
const HAS = computed(() => {
  const one = relation.value?.one ?? 'one';
  return [
    { value: true, title: `have ${one} with` },
    { value: false, title: `have ${one.replace(/^an? /, 'no ')} with` },
  ];
});
function setMatch(match: Match) {
  if (isGroup(line.value)) line.value.match = match;
}
function setHas(has: boolean) {
  if (isRelated(line.value)) line.value.has = has;
}
const inner = computed((): LineAccount[] =>
  'of' in line.value
    ? line.value.of.map((_, at) => ({ before: null, left: props.account.inner[at] ?? null, inner: [] }))
    : [],
);
</script>

<template>
  <div class="line" :class="{ open, alone: open && 'fact' in line }">
    <span
      class="grip"
      draggable="true"
      aria-hidden="true"
      title="Drag, or Alt and an arrow"
      @dragstart="emit('drag')"
      ><v-icon :icon="mdiDragVertical" size="16"
    /></span>
    <div class="what">
      <button
        v-if="!open"
        ref="reading"
        type="button"
        class="plain read"
        :class="{ quiet: unsaid }"
        aria-keyshortcuts="Alt+ArrowUp Alt+ArrowDown Alt+ArrowLeft Alt+ArrowRight Delete"
        @click="editing.open.value = line"
        @keydown="onKey"
      >
        {{ unsaid ? `${fact?.label ?? words}: not said yet, passed over` : words }}
      </button>
      <div v-else ref="fields" @keydown.esc.stop="close">
        <template v-if="'fact' in line">
          <div class="heading">
            <strong>{{ fact?.label ?? 'Gone' }}</strong>
            <span v-if="account.left !== null" class="quiet figures" role="status">{{
              account.before === null
                ? `holds for ${figures(account.left)}`
                : `${takes ? `−${figures(takes)}, ` : ''}${figures(account.left)} remain`
            }}</span>
            <button type="button" class="link" @click="close">done</button>
          </div>
          <TestField v-if="fact && !fact.gone" v-model="line.test" :fact="fact" />
        </template>
        <template v-else>
          <div class="heading">
            <v-select
              v-if="'match' in line"
              :model-value="line.match"
              :items="matches"
              aria-label="How the lines hold together"
              @update:model-value="setMatch"
            />
            <v-select
              v-else
              :model-value="line.has"
              :items="HAS"
              :aria-label="relation?.label ?? 'Has'"
              @update:model-value="setHas"
            />
            <button type="button" class="link" @click="close">done</button>
          </div>
        </template>
      </div>
      <p v-if="own" class="needs" role="alert">{{ own }}</p>
      <p v-else-if="within && !open" class="needs">Something in it is wrong: open it.</p>
    </div>
    <span v-if="!(open && 'fact' in line)" class="figures takes">{{
      takes ? `−${figures(takes)}` : takes === 0 ? '0' : ''
    }}</span>
    <span v-if="!(open && 'fact' in line)" class="figures left">{{ figures(account.left) }}</span>
    <button type="button" class="plain remove" :aria-label="`Take away: ${words}`" @click="emit('remove')">
      ×
    </button>
  </div>
  <LineList
    v-if="'of' in line && open"
    v-model="line.of"
    class="indented"
    :among="relation?.to ?? among"
    :through="'through' in line ? line.through : through"
    :accounts="inner"
    :problems="problems"
    :path="path"
    :depth="depth + 1"
    :owner="line"
    :label="'through' in line ? 'Say which …' : 'One more …'"
    @out="emit('out', $event)"
  />
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) 58px 58px 18px;
  gap: 6px;
  align-items: baseline;
  padding: 3px 8px 3px 2px;
}
.line.alone .what {
  grid-column: 2 / 5;
}
.line.open {
  background: var(--page);
  padding-block: 8px;
}
.grip {
  color: var(--ink-soft);
  cursor: grab;
  opacity: 0.45;
}
.line:hover .grip {
  opacity: 1;
}
.read {
  width: 100%;
  padding: 4px 0;
  text-align: left;
  line-height: 1.35;
}
.read:hover {
  text-decoration: underline;
  text-decoration-color: var(--strong);
}
.heading {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 5px;
}
.heading > :first-child {
  flex: 1;
}
@media (max-width: 1000px) {
  .line {
    grid-template-columns: 14px minmax(0, 1fr) 44px 44px 14px;
  }
}
.takes,
.left {
  text-align: right;
}
.takes {
  color: var(--ink-soft);
}
.left {
  font-weight: 700;
}
.remove {
  font-size: 17px;
  line-height: 1;
  color: var(--ink-soft);
}
.indented {
  margin-left: 20px;
  border-left: 3px double var(--strong);
}
.needs {
  font-size: 13px;
  padding-bottom: 4px;
}
</style>
