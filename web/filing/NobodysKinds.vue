<script setup lang="ts">
import { computed, ref } from 'vue';
import { UnconnectedKind, UnconnectedKinds } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';

/** Which kinds of mail that nothing connects with a client are set aside without asking. */
const props = defineProps<{ kinds: UnconnectedKinds; mayChange: boolean }>();
const emit = defineEmits<{ changed: [] }>();
const NAMES: Record<UnconnectedKind, string> = {
  business: 'With a business nobody knows: bills, orders, support',
  past: 'With people nobody knows, from long before the mailbox was connected',
  new: 'With people nobody knows, since then: a client to come may be among them',
};
const problem = ref('');
const busy = ref(false);
const rows = computed(() =>
  UnconnectedKind.options.map((kind) => ({ kind, name: NAMES[kind], on: props.kinds.includes(kind) })),
);

async function turn(kind: UnconnectedKind, on: boolean) {
  busy.value = true;
  problem.value = '';
  try {
    const wanted = [...props.kinds.filter((each) => each !== kind), ...(on ? [kind] : [])];
    await send('PUT', UnconnectedKinds, '/filing/unconnected', wanted);
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section aria-labelledby="nobodys-kinds">
    <h2 id="nobodys-kinds">Set aside as nobody’s, without asking</h2>
    <Trouble :words="problem" class="mb-2" />
    <div class="sheet kinds">
      <v-checkbox
        v-for="{ kind, name, on } in rows"
        :key="kind"
        :model-value="on"
        :label="name"
        :disabled="!mayChange || busy"
        @update:model-value="(value: boolean | null) => turn(kind, Boolean(value))"
      />
      <p class="quiet">
        Only mail that names no client, no file and nobody of the records.
        <router-link :to="{ path: '/sorting/over', query: { kind: 'unconnected' } }"
          >Look over what was set aside</router-link
        >
      </p>
    </div>
  </section>
</template>

<style scoped>
h2 {
  margin-bottom: 8px;
}
.kinds {
  padding: 6px 12px 10px;
}
.kinds .quiet {
  margin-top: 8px;
}
</style>
