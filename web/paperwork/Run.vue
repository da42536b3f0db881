<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { RunView } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import Desk from './Desk.vue';
import RunWords from './RunWords.vue';

/** A run of paperwork: while it is written its words, then the desk on which its pieces lie. */
const route = useRoute();
const id = Number(route.params.id);
const {
  data: run,
  problem,
  load,
} = useLoad(RunView, () => `/paperwork/${id}`, {
  concerns: { paperwork: true },
  // What is being written is not taken from under the hand.
  unless: (): boolean => run.value?.state === 'draft',
});
const writing = computed(() => run.value?.state === 'draft');
</script>

<template>
  <div class="screen screen-fixed">
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <RunWords v-if="run && writing" :run="run" @made="load" />
    <Desk v-else-if="run" :run="run" @changed="load" />
  </div>
</template>
