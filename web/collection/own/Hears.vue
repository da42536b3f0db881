<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { OwnPage } from '../../../contract/collection.ts';
import { ask, Refused } from './ask.ts';

/** How they wish to hear from us, and what about. */
const props = defineProps<{ page: OwnPage }>();
const emit = defineEmits<{ changed: [] }>();
type Way = 'email' | 'post';
const topics = ref<number[]>([]);
const ways = ref<Partial<Record<'letters' | 'statements', Way>>>({});
const quiet = ref<string[]>([]);
const busy = ref(false);
const problem = ref('');
const said = ref(false);
/** What stands there now is shown until somebody changes something. */
const touched = ref(false);
watch(
  () => props.page.hears,
  ({ topics: all, ways: by, numbers }) => {
    if (touched.value) return;
    topics.value = all.flatMap(({ id, wanted }) => (wanted ? id : []));
    ways.value = Object.fromEntries(
      (by ?? []).flatMap(({ kind, way }) => (way === 'email' || way === 'post' ? [[kind, way]] : [])),
    );
    quiet.value = numbers.flatMap(({ number, wanted }) => (wanted ? [] : number));
  },
  { immediate: true },
);
const any = computed(() => {
  const { topics: all, ways: by, numbers } = props.page.hears;
  return all.length + (by?.length ?? 0) + numbers.length > 0;
});
const WAYS = { letters: 'Letters', statements: 'Fee notes and statements' };
const change = () => {
  touched.value = true;
  said.value = false;
};
async function keep(none: boolean) {
  busy.value = true;
  problem.value = '';
  try {
    await ask('PUT', '/hears', {
      none,
      topicIds: topics.value,
      ways: Object.entries(ways.value).map(([kind, way]) => ({ kind, way })),
      quiet: quiet.value,
    });
    touched.value = false;
    said.value = true;
    emit('changed');
  } catch (error) {
    problem.value = error instanceof Refused ? error.message : 'It could not be kept. Please try again.';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section v-if="any" aria-labelledby="hears">
    <h2 id="hears">How you hear from us</h2>
    <form @submit.prevent="keep(false)" @change="change">
      <p v-if="page.hears.none">At present we send you no mailings at all.</p>
      <fieldset v-if="page.hears.topics.length">
        <legend>Mailings about</legend>
        <label v-for="topic in page.hears.topics" :key="topic.id"
          ><input v-model="topics" type="checkbox" :value="topic.id" /> {{ topic.name }}</label
        >
      </fieldset>
      <fieldset v-for="each in page.hears.ways ?? []" :key="each.kind">
        <legend>{{ WAYS[each.kind] }}</legend>
        <label
          ><input v-model="ways[each.kind]" type="radio" :name="each.kind" value="email" /> by email</label
        >
        <label><input v-model="ways[each.kind]" type="radio" :name="each.kind" value="post" /> by post</label>
      </fieldset>
      <fieldset v-if="page.hears.numbers.length">
        <legend>No text messages to</legend>
        <label v-for="each in page.hears.numbers" :key="each.number"
          ><input v-model="quiet" type="checkbox" :value="each.number" /> {{ each.number }}</label
        >
      </fieldset>
      <p>
        <button type="submit" class="main" :disabled="busy">Keep this</button>
        <button
          v-if="!page.hears.none && page.hears.topics.length"
          type="button"
          class="quiet"
          :disabled="busy"
          @click="keep(true)"
        >
          No mailings at all
        </button>
      </p>
      <p v-if="said" class="said" role="status">Done. We shall keep to it.</p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p class="small">Letters about work that we do for you come in any case.</p>
    </form>
  </section>
</template>
