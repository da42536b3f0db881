<script setup lang="ts">
import type { Step } from './trial.ts';

defineProps<{ steps: Step[] }>();
const WORDS = { waiting: 'not yet tried', trying: 'trying …', good: 'good', bad: 'not yet' };
</script>

<template>
  <ol class="steps" aria-live="polite">
    <li v-for="step in steps" :key="step.name" :class="step.state">
      <strong>{{ step.name }}</strong> <span class="state">{{ WORDS[step.state] }}</span>
      <p>{{ step.words }}</p>
    </li>
  </ol>
</template>

<style scoped>
.steps {
  list-style: none;
  padding: 0;
  margin: 14px 0;
  border-top: 1px solid var(--strong);
}
li {
  padding: 7px 10px;
  border-bottom: 1px solid var(--hairline);
  border-left: 4px solid var(--straw);
}
li.good {
  border-left-color: var(--spruce);
}
li.bad {
  border-left-color: var(--brick);
}
.good .state {
  color: var(--spruce);
}
.bad .state {
  color: var(--brick);
}
.trying .state {
  color: var(--ochre);
}
</style>
