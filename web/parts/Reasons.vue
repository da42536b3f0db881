<script setup lang="ts">
import type { Evidence } from '../../contract/index.ts';

/** Reasons for and against a file, each with how much it weighs as a stroke: the longer, the weightier. */
defineProps<{ evidence: readonly Evidence[] }>();
const MOST = 10;
const word = (weight: number) =>
  weight >= 5 ? 'weighs much' : weight >= 2 ? 'weighs some' : 'weighs little';
</script>

<template>
  <ul class="reasons">
    <li v-for="reason in evidence" :key="reason.words">
      <b :class="reason.side">{{ reason.side === 'for' ? '+' : '−' }}</b>
      <span>{{ reason.words }}</span>
      <span v-if="reason.weight" class="weight" :title="word(reason.weight)"
        ><i :class="reason.side" :style="{ width: `${Math.min(MOST, reason.weight) * 2}px` }" /><span
          class="unseen"
          >{{ word(reason.weight) }}</span
        ></span
      >
    </li>
  </ul>
</template>

<style scoped>
.reasons {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
  font-size: 13px;
}
.reasons li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) 22px;
  column-gap: 2px;
  overflow-wrap: anywhere;
}
.for {
  color: var(--spruce);
}
.against {
  color: var(--brick);
}
.weight {
  line-height: 16px;
  text-align: right;
}
.weight i {
  display: inline-block;
  height: 4px;
  vertical-align: middle;
  border-radius: 2px;
  background: currentColor;
  opacity: 0.55;
}
.unseen {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
