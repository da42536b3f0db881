<script setup lang="ts">
import { computed, ref } from 'vue';
import { SignatureView } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import ChoosePicture from '../parts/ChoosePicture.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';

/** What stands below everything one writes: the usual lines, or a signature of the cupboard. */
const emit = defineEmits<{ leave: [] }>();
const session = useSession();
const { data: own, problem, load } = useLoad(SignatureView, () => '/session/signature');
const said = ref('');
const items = computed(() => [
  { value: null, title: 'the usual lines' },
  ...(own.value?.choices ?? []).map(({ id: value, name: title }) => ({ value, title })),
]);
const words = computed(
  () => own.value?.choices.find(({ id }) => id === own.value?.signatureId)?.words ?? own.value?.usual ?? '',
);
async function keep(signed: string | null) {
  try {
    await act('PUT', '/session/signed', { signed });
    await load();
    said.value = 'Kept.';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function choose(signatureId: number | null) {
  try {
    await act('PUT', '/session/signature', { signatureId });
    await load();
    said.value = 'Kept.';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <div>
    <v-select
      v-if="own"
      :model-value="own.signatureId"
      :items="items"
      label="Your signature"
      @update:model-value="choose"
    />
    <pre class="words">{{ words }}</pre>
    <p class="quiet mt-1">
      The firm’s notice stands below it by itself.
      <router-link
        v-if="session.may('keep wordings')"
        to="/wordings/new?kind=signature"
        @click="emit('leave')"
        >Write a signature</router-link
      >
    </p>
    <div v-if="own" class="signed mt-2">
      <img v-if="own.signed" :src="`/api/pictures/${own.signed}`" alt="Your signature" />
      <ChoosePicture
        :has="own.signed !== null"
        choose="A picture of it, for letters…"
        another="Another picture…"
        @chosen="(hash) => keep(hash)"
        @gone="keep(null)"
        @trouble="problem = $event"
      />
    </div>
    <Trouble :words="problem" class="mt-1" />
    <p class="quiet" role="status">{{ said }}</p>
  </div>
</template>

<style scoped>
.signed {
  display: flex;
  align-items: center;
  gap: 12px;
}
.signed img {
  max-width: 140px;
  max-height: 60px;
}
.words {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font: 13px/1.45 var(--sans);
  color: var(--ink-soft);
  margin: 8px 0 0;
}
</style>
