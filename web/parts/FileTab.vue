<script setup lang="ts">
/** The small folder tab that names a file: solid when logged, dashed when suggested, dotted when there is none. */
defineProps<{
  state: 'logged' | 'suggested' | 'aside' | 'private' | 'none';
  label?: string;
  title?: string;
}>();
const WORDS = { aside: 'set aside', private: 'private', none: 'no file', logged: '', suggested: '' };
</script>

<template>
  <span class="tab figures" :class="`tab-${state}`" :title="title">
    <span class="visually-hidden">{{
      state === 'logged' ? 'Logged on ' : state === 'suggested' ? 'Suggested: ' : ''
    }}</span>{{ label || WORDS[state] }}
  </span>
</template>

<style scoped>
.tab {
  display: inline-block;
  padding: 2px 8px 1px;
  font: 700 12px/17px var(--sans);
  border: 1px solid;
  border-bottom-width: 3px;
  border-radius: 5px 5px 0 0;
  white-space: nowrap;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: bottom;
}
.tab-logged {
  color: var(--spruce);
  background: var(--spruce-pale);
}
.tab-suggested {
  color: var(--ochre);
  border-style: dashed;
  background: var(--sheet);
}
.tab-aside,
.tab-private,
.tab-none {
  color: var(--ink-soft);
  border-style: dotted;
  background: var(--sheet);
}
</style>
