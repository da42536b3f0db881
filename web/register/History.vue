<script setup lang="ts">
import { ref } from 'vue';
import { HistoryPage, type RecordSubject } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

/** What was done to a record, the last first; each step can be taken back. */
const props = defineProps<{ subject: RecordSubject; id: number }>();
const emit = defineEmits<{ changed: [] }>();
const LIMIT = 10;
const { full } = useTimes();
const offset = ref(0);
const {
  data: page,
  problem,
  load,
} = useLoad(
  HistoryPage,
  () => ({
    path: '/history',
    query: { subject: props.subject, id: props.id, offset: offset.value, limit: LIMIT },
  }),
  { concerns: { records: true } },
);
const trouble = ref('');
const said = ref('');
async function takeBack(step: number) {
  trouble.value = said.value = '';
  try {
    await act('POST', `/history/${step}/undo`);
    said.value = 'Taken back.';
    emit('changed');
    await load();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
</script>

<template>
  <div>
    <Trouble :words="problem || trouble" :retry="load" />
    <p class="quiet" role="status">{{ said }}</p>
    <ol v-if="page?.steps.length" class="steps">
      <li v-for="step in page.steps" :key="step.id">
        <div class="top">
          <span
            ><strong>{{ step.action }}</strong>
            <span class="quiet">
              {{ full(step.at) }},
              <template v-if="step.order"
                >by the standing order
                <router-link :to="`/orders/${step.order.id}`">{{ step.order.name }}</router-link>, since
                {{ step.order.why }}</template
              ><template v-else>{{ step.by ?? 'by itself' }}</template></span
            ></span
          >
          <button v-if="step.undoable" type="button" class="link" @click="takeBack(step.id)">
            take back
          </button>
        </div>
        <div v-for="field in step.fields" :key="field.label" class="quiet what">
          {{ field.label }}: <s v-if="field.before">{{ field.before }}</s> {{ field.after || 'nothing' }}
        </div>
      </li>
    </ol>
    <p v-else-if="page" class="quiet">Nothing was changed yet.</p>
    <Pager
      v-if="page && page.total > LIMIT"
      :offset="offset"
      :limit="LIMIT"
      :total="page.total"
      what="steps"
      @move="(to: number) => (offset = to)"
    />
  </div>
</template>

<style scoped>
.steps {
  list-style: none;
  padding: 0;
  margin: 0;
}
.steps li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 10px;
}
.what {
  overflow-wrap: anywhere;
  display: -webkit-box;
  -webkit-line-clamp: 3;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
</style>
