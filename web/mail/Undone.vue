<script setup lang="ts">
import { computed, ref } from 'vue';
import { z } from 'zod';
import { UndoneChange } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import { useSession } from '../session.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** What one wanted of a mail server and it did not do, until one has seen it. */
const { ago } = useTimes();
const SHOWN = 3;
const session = useSession();
const { data, load } = useLoad(z.array(UndoneChange), () => '/mail/undone', {
  concerns: { mail: about('staff', () => [session.session?.staff.id]) },
});
const undone = computed(() => data.value ?? []);
const problem = ref('');
const shown = computed(() => undone.value.slice(0, SHOWN));

async function seen() {
  const upTo = undone.value[0]?.id;
  try {
    if (upTo) await act('PUT', '/mail/undone', { upTo });
    problem.value = '';
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <section v-if="undone.length" class="undone" role="status" aria-label="Not done on the mail server">
    <div>
      <strong>Not done on the mail server:</strong>
      <ul>
        <li v-for="each in shown" :key="each.id">
          {{ each.what }}<template v-if="each.subject">: “{{ each.subject }}”</template>. {{ each.why }}
          <span class="quiet">{{ each.mailbox }}, {{ ago(each.at) }}</span>
        </li>
      </ul>
      <p v-if="undone.length > SHOWN" class="quiet">and {{ many(undone.length - SHOWN, 'more', 'more') }}</p>
      <p v-if="problem" class="needs">{{ problem }}</p>
    </div>
    <button type="button" class="link" @click="seen">Seen</button>
  </section>
</template>

<style scoped>
.undone {
  display: flex;
  gap: 12px;
  justify-content: space-between;
  align-items: start;
  padding: 8px 12px;
  border-bottom: 1px solid var(--strong);
  border-left: 4px solid var(--ochre);
  max-height: 120px;
  overflow: auto;
  overflow-wrap: anywhere;
}
.undone button {
  flex: none;
}
.undone ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
</style>
