<script setup lang="ts">
import { ref } from 'vue';
import { z } from 'zod';
import { ManyDone } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** What was lately changed of many at once; each taken back as one. */
const session = useSession();
const { ago } = useTimes();
const { data: done, load } = useLoad(z.array(ManyDone), () => ({ path: '/many', query: { limit: 6 } }), {
  concerns: { records: true },
});
const problem = ref('');
const busy = ref(0);
async function undo(id: number) {
  busy.value = id;
  try {
    await act('POST', `/many/${id}/undo`);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = 0;
    await load();
  }
}
</script>

<template>
  <section v-if="done?.length" aria-labelledby="lately">
    <h2 id="lately">Lately changed at once</h2>
    <Trouble :words="problem" />
    <ul>
      <li v-for="each in done" :key="each.id">
        <span>
          {{ each.words }}<br /><span class="quiet"
            >{{ many(each.changed, 'record') }}, {{ each.by }}, {{ ago(each.at)
            }}<template v-if="each.undoneAt"
              >; taken back{{
                each.kept ? `, but for ${many(each.kept, 'record')} changed again since` : ''
              }}</template
            ></span
          >
        </span>
        <button
          v-if="!each.undoneAt && session.may('change many records')"
          type="button"
          class="link"
          :disabled="busy === each.id"
          @click="undo(each.id)"
        >
          take back
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
section {
  margin-top: 22px;
}
</style>
