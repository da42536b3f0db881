<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import { ref } from 'vue';
import { z } from 'zod';
import { FilingAddress, HeldFor, MailboxStatus } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import { useLoad } from '../ui/load.ts';
import Trouble from '../parts/Trouble.vue';
import WeighingLine from '../parts/WeighingLine.vue';
import { useSession } from '../session.ts';
import { useTimes } from '../words.ts';

const { ago, since, clock } = useTimes();
const MINUTE = 60_000;
const session = useSession();

const {
  data: boxes,
  problem,
  load,
} = useLoad(z.array(MailboxStatus), () => '/mailboxes', {
  concerns: { mailboxes: true, mail: true },
  moment: 2000,
});
const filingAddress = ref('');
const kept = ref('');
async function readAddress() {
  try {
    filingAddress.value = (await get(FilingAddress, '/filing-address')).address;
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void readAddress();
async function keepAddress() {
  try {
    await act('PUT', '/filing-address', { address: filingAddress.value });
    kept.value = filingAddress.value ? 'Kept.' : 'There is no filing address any more.';
    problem.value = '';
  } catch (error) {
    kept.value = '';
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
// Of a mailbox at rest nothing is told.
useIntervalFn(() => void load(), MINUTE);
const held = ref<HeldFor | null>(null);
get(HeldFor, '/held').then(
  (found) => (held.value = found),
  () => undefined,
);
/** The largest folders by name; of a thousand nobody reads the list. */
function folderWords(box: MailboxStatus): string {
  const shown = [...box.folders].sort((a, b) => b.taken - a.taken).slice(0, 5);
  const rest = box.folders.length - shown.length;
  return [
    ...shown.map((folder) => `${folder.path} ${folder.taken.toLocaleString('en-GB')}`),
    ...(rest ? [`${rest} more folders`] : []),
  ].join(', ');
}
const share = (box: MailboxStatus) =>
  box.onServer ? Math.min(100, (100 * (box.taken ?? 0)) / box.onServer) : 100;
const counted = (box: MailboxStatus) =>
  `${(box.taken ?? 0).toLocaleString('en-GB')} of ${(box.onServer ?? 0).toLocaleString('en-GB')} messages taken in`;
</script>

<template>
  <div class="screen">
    <header class="head mb-4">
      <div>
        <h1>Mailboxes</h1>
        <p class="quiet">
          Every staff mailbox is read in both directions: what came in and what was sent, from whatever
          program.
        </p>
      </div>
      <v-btn color="primary" variant="flat" to="/mailboxes/connect">Connect a mailbox</v-btn>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-3" />
    <WeighingLine />
    <ul class="boxes">
      <li v-for="box in boxes ?? []" :key="box.id" class="sheet box">
        <div>
          <h2>{{ box.name }}</h2>
          <p class="quiet cut" :title="box.address">{{ box.address }}</p>
          <p class="quiet">
            <span v-if="!box.verifiedAt" class="ochre">not verified, nothing is sent from it</span>
            <span v-else>{{ box.shared ? `shared by all, looked after by ${box.owner}` : 'verified' }}</span>
            <router-link v-if="box.mayManage" :to="`/mailboxes/${box.id}`" class="ml-3">settings</router-link>
          </p>
        </div>
        <p v-if="box.onServer === null" class="quiet">What lies in it is not yours to look into.</p>
        <div v-else>
          <v-progress-linear
            :model-value="share(box)"
            :aria-label="counted(box)"
            :color="box.state === 'failing' ? 'error' : 'primary'"
          />
          <p class="quiet figures mt-1">
            {{ counted(box) }}<template v-if="box.folders.length"> · {{ folderWords(box) }}</template>
          </p>
          <p v-if="box.closed.length" class="ochre cut" :title="box.closed.join(', ')">
            Not opened by the mail server, so not read: {{ box.closed.join(', ') }}
          </p>
        </div>
        <div class="state">
          <template v-if="box.state === 'failing'">
            <strong class="needs">In trouble {{ box.failingSince ? since(box.failingSince) : '' }}</strong>
            <p class="needs">{{ box.problem }}</p>
            <v-btn size="small" @click="retry(box.id)">Try now</v-btn>
          </template>
          <template v-else-if="box.state === 'recovering'"
            ><strong class="ochre">Troubled {{ box.failingSince ? since(box.failingSince) : '' }}</strong>
            <p class="quiet">{{ box.problem }} Tried again by itself; nothing is lost.</p></template
          >
          <template v-else-if="box.state === 'paused'"
            ><strong class="ochre">Paused {{ box.pausedAt ? since(box.pausedAt) : '' }}</strong>
            <p class="quiet">nothing is read until it goes on</p></template
          >
          <template v-else-if="box.state === 'filling'"
            ><strong class="ochre">Taking older mail in</strong>
            <p class="quiet">
              newest first{{ box.expectedEnd ? `; all here by about ${clock(box.expectedEnd)}` : '' }}
            </p></template
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
    <p v-if="boxes && !boxes.length" class="quiet">
      No mailbox is connected yet. <router-link to="/mailboxes/connect">Connect the first</router-link>
    </p>
    <section v-if="boxes?.length" class="sheet filing mt-5" aria-labelledby="filing-address">
      <h2 id="filing-address">The filing address</h2>
      <p class="quiet">
        Whatever is copied to it, openly or hidden and from whatever program, is filed or put into Sorting,
        and never set aside. Tell it to nobody outside.
      </p>
      <form class="set" @submit.prevent="keepAddress">
        <v-text-field
          v-model="filingAddress"
          label="Filing address"
          :readonly="!session.may('set the filing address')"
          placeholder="none yet, such as office+tofile@your.domain"
        />
        <v-btn v-if="session.may('set the filing address')" type="submit">Keep</v-btn>
      </form>
      <p class="quiet" role="status">{{ kept }}</p>
    </section>
    <p v-if="held?.most" class="quiet mt-4">
      In the last hour nothing held this server longer than {{ held.p99 }} ms at a stretch, 99 of 100 times
      ({{ held.most }}
      ms once). Above 50 ms somebody waits for it.
    </p>
  </div>
</template>

<style scoped>
.filing {
  padding: 12px 16px;
}
.set {
  display: grid;
  grid-template-columns: minmax(0, 420px) max-content;
  gap: 12px;
  align-items: center;
  margin-top: 8px;
}
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
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
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
