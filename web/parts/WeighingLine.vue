<script setup lang="ts">
import { computed } from 'vue';
import { Weighing } from '../../contract/index.ts';
import { useLoad } from '../ui/load.ts';

/** How far the mail that was here before has been weighed, while there is any left. */
const { data } = useLoad(Weighing, () => '/filing/weighing', {
  concerns: { sorting: true, mailboxes: true },
  moment: 1000,
});
const share = computed(() => (data.value ? (100 * (data.value.of - data.value.left)) / data.value.of : 100));
</script>

<template>
  <div v-if="data" class="weighing" role="status">
    History: {{ (data.of - data.left).toLocaleString('en-GB') }} of
    {{ data.of.toLocaleString('en-GB') }} messages weighed. What waits in Sorting may still find its place by
    itself.
    <v-progress-linear :model-value="share" class="share" aria-hidden="true" />
  </div>
</template>

<style scoped>
.weighing {
  margin-bottom: 8px;
  color: var(--ink-soft);
}
.share {
  max-width: 420px;
  margin-top: 4px;
}
</style>
