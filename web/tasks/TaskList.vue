<script setup lang="ts">
import type { TaskRow } from '../../contract/index.ts';
import { useDue } from './task.ts';

/** Tasks one below the other, each ticked off where it stands. */
defineProps<{
  tasks: readonly TaskRow[];
  /** Whether whose they are is said. */ whose?: boolean;
  place?: boolean;
}>();
const emit = defineEmits<{ done: [task: TaskRow]; open: [task: TaskRow] }>();
const due = useDue();
</script>

<template>
  <ul class="tasks">
    <li v-for="task in tasks" :key="task.id">
      <v-checkbox
        :model-value="task.doneAt !== null"
        :aria-label="`Done: ${task.words}`"
        @update:model-value="emit('done', task)"
      />
      <span class="what">
        <button type="button" class="plain words" @click="emit('open', task)">{{ task.words }}</button>
        <span class="quiet clip">
          <template v-if="place && task.client"
            ><router-link
              :to="{ path: `/clients/${task.client.id}`, query: task.file ? { file: task.file.id } : {} }"
              >{{ task.client.name }}</router-link
            ><template v-if="task.file">, {{ task.file.number }}</template> · </template
          ><template v-if="whose">{{ task.for }} · </template
          ><template v-if="task.order"
            >by <router-link :to="`/orders/${task.order.id}`">{{ task.order.name }}</router-link>, since
            {{ task.order.why }}</template
          ><template v-else>left by {{ task.madeBy }}</template>
        </span>
      </span>
      <span class="due figures" :class="{ needs: task.late, quiet: !task.late }">{{ due(task) }}</span>
    </li>
  </ul>
</template>

<style scoped>
.tasks {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--strong);
}
li {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto;
  gap: 6px;
  align-items: center;
  padding: 4px 4px;
  border-bottom: 1px solid var(--hairline);
}
.what {
  display: grid;
}
.words {
  font-weight: 700;
  min-height: 24px;
  overflow-wrap: anywhere;
}
.clip {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.due {
  font-size: 13px;
  white-space: nowrap;
}
</style>
