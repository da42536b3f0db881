<script setup lang="ts">
import { ref } from 'vue';
import { z } from 'zod';
import { MailboxStatus } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import { useLive } from '../live.ts';
import Trouble from '../parts/Trouble.vue';
import { useTimes } from '../words.ts';

const { ago, since } = useTimes();
const boxes = ref<MailboxStatus[] | null>(null);
const problem = ref('');

async function load() {
  try {
    boxes.value = await get(z.array(MailboxStatus), '/mailboxes');
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function retry(id: number) {
  try {
    await act('POST', `/mailboxes/${id}/retry`);
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void load();
useLive(['mailboxes', 'mail'], () => void load());
const share = (box: MailboxStatus) => (box.onServer ? Math.min(100, (100 * box.taken) / box.onServer) : 100);
</script>

<template>
  <div class="screen">
    <h1>Mailboxes</h1>
    <p class="quiet mb-4">
      Every staff mailbox is read in both directions: what came in and what was sent, from whatever program.
    </p>
    <Trouble :words="problem" :retry="load" class="mb-3" />
    <ul class="boxes">
      <li v-for="box in boxes ?? []" :key="box.id" class="sheet box">
        <div>
          <h2>{{ box.owner }}</h2>
          <p class="quiet">{{ box.address }}</p>
        </div>
        <div>
          <v-progress-linear
            :model-value="share(box)"
            :aria-label="`${box.taken} of ${box.onServer} messages taken in`"
            :color="box.state === 'failing' ? 'error' : 'primary'"
          />
          <p class="quiet figures mt-1">
            {{ box.taken.toLocaleString('en-GB') }} of {{ box.onServer.toLocaleString('en-GB') }} messages
            taken in ·
            {{
              box.folders.map((folder) => `${folder.path} ${folder.taken.toLocaleString('en-GB')}`).join(', ')
            }}
          </p>
        </div>
        <div class="state">
          <template v-if="box.state === 'failing'">
            <strong class="needs">In trouble {{ box.failingSince ? since(box.failingSince) : '' }}</strong>
            <p class="needs">{{ box.problem }}</p>
            <v-btn size="small" @click="retry(box.id)">Try now</v-btn>
          </template>
          <template v-else-if="box.state === 'filling'"
            ><strong class="ochre">Taking older mail in</strong>
            <p class="quiet">newest first; goes on by itself</p></template
          >
          <template v-else-if="box.state === 'in step'"
            ><strong class="good">In step</strong>
            <p class="quiet">looked {{ box.inStepAt ? ago(box.inStepAt) : '' }}</p></template
          >
          <template v-else
            ><strong class="ochre">Waiting its turn</strong>
            <p class="quiet">
              {{ box.inStepAt ? `last looked ${ago(box.inStepAt)}` : 'not looked into yet' }}
            </p></template
          >
        </div>
      </li>
    </ul>
    <p v-if="boxes && !boxes.length" class="quiet">No mailbox is connected yet.</p>
  </div>
</template>

<style scoped>
.boxes {
  list-style: none;
  padding: 0;
  margin: 0;
}
.box {
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr) 200px;
  gap: 24px;
  align-items: center;
  padding: 12px 16px;
  margin-bottom: -1px;
}
.good {
  color: var(--spruce);
}
.ochre {
  color: var(--ochre);
}
@media (max-width: 1000px) {
  .box {
    grid-template-columns: 170px minmax(0, 1fr) 150px;
  }
}
</style>
