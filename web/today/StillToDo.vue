<script setup lang="ts">
import { computed } from 'vue';
import { Beginning } from '../../contract/index.ts';
import { PARTS } from '../office/parts.ts';
import { useLoad } from '../ui/load.ts';
import { list } from '../words.ts';

/** What of an office's beginning is still to be seen to; nothing when all is, or somebody said that it is over. */
const { data: beginning } = useLoad(Beginning, () => '/office/beginning', {
  concerns: { records: true, mailboxes: true },
  moment: 2000,
});
const missing = computed(() =>
  beginning.value && !beginning.value.over
    ? PARTS.filter(({ begins }) => beginning.value?.parts.some(({ key, done }) => key === begins && !done))
    : [],
);
</script>

<template>
  <p v-if="missing.length" class="sheet begin">
    <span
      ><strong>Still to be set up:</strong> {{ list(missing.map(({ title }) => title.toLowerCase())) }}.</span
    >
    <router-link :to="missing[0]?.path ?? '/settings'">Go on</router-link>
  </p>
</template>

<style scoped>
.begin {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 9px 12px;
  margin-top: 14px;
  border-left: 4px double var(--ochre);
}
</style>
