<script setup lang="ts">
import { computed } from 'vue';
import type { SelectableFact } from '../../core/selection/catalogue.ts';

/** Which columns a list shows, and in which order; kept as they are chosen. */
const props = defineProps<{ columns: string[]; offered: SelectableFact[]; naming: string }>();
const emit = defineEmits<{ choose: [columns: string[] | null] }>();
const MOST = 12;
const label = (key: string) => props.offered.find((fact) => fact.key === key)?.label ?? key;
const others = computed(() => props.offered.filter(({ key }) => !props.columns.includes(key)));
function move(at: number, by: number) {
  const next = [...props.columns];
  const [one] = next.splice(at, 1);
  if (one) next.splice(at + by, 0, one);
  emit('choose', next);
}
</script>

<template>
  <v-menu :close-on-content-click="false" location="bottom end">
    <template #activator="{ props: opener }">
      <button v-bind="opener" type="button" class="link">columns</button>
    </template>
    <div class="sheet choose">
      <ol>
        <li v-for="(key, index) in columns" :key="key">
          <span>{{ label(key) }}</span>
          <button
            type="button"
            class="plain"
            :disabled="index < 2"
            :aria-label="`${label(key)} further left`"
            @click="move(index, -1)"
          >
            ↑
          </button>
          <button
            type="button"
            class="plain"
            :disabled="!index || index === columns.length - 1"
            :aria-label="`${label(key)} further right`"
            @click="move(index, 1)"
          >
            ↓
          </button>
          <button
            type="button"
            class="plain"
            :disabled="key === naming"
            :aria-label="`Without ${label(key)}`"
            @click="
              emit(
                'choose',
                columns.filter((each) => each !== key),
              )
            "
          >
            ×
          </button>
        </li>
      </ol>
      <v-autocomplete
        v-if="columns.length < MOST"
        :model-value="null"
        :items="others"
        item-title="label"
        item-value="key"
        label="One more column"
        class="mt-2"
        @update:model-value="$event && emit('choose', [...columns, $event])"
      />
      <button type="button" class="link mt-2" @click="emit('choose', null)">as for everybody</button>
    </div>
  </v-menu>
</template>

<style scoped>
.choose {
  width: 300px;
  padding: 12px;
  border-color: var(--strong);
}
ol {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: grid;
  grid-template-columns: 1fr 24px 24px 24px;
  padding: 2px 0;
  border-bottom: 1px solid var(--hairline);
}
li button:disabled {
  visibility: hidden;
}
</style>
