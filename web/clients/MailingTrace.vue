<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { MailingTrace, type TracedMailing } from '../../contract/index.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Pager from '../parts/Pager.vue';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

/** Why a client gets what it gets from us, or nothing: what stands in the way today, and how each mailing went. */
const LIMIT = 20;
const route = useRoute();
const { full, date } = useTimes();
const id = computed(() => Number(route.params.id));
const offset = ref(0);
const message = ref<number | null>(null);
const { data, problem, load } = useLoad(
  MailingTrace,
  () => ({ path: `/clients/${id.value}/mailings`, query: { offset: offset.value, limit: LIMIT } }),
  { concerns: { mailings: true, records: about('client', () => [id.value]) } },
);
/** What can be done about each thing that stands in the way. */
const REMEDIES: Record<string, string> = {
  'no email address': 'Put an address in on their record.',
  'opted out': 'Only with their word for it: on the record of the person.',
  'email returned undelivered':
    'Mend the address on their record, or send again from the mailing it came back from.',
  'same address as another recipient': 'One address gets one copy.',
  'nobody to send as':
    'Give the client an adviser whose mailbox is verified, or let a mailing come from the office.',
  'takes mailings by post': 'That is how they want it: on their record, under “How they are written to”.',
  'takes no mailings': 'That is how they want it: on their record, under “How they are written to”.',
};
const outcome = ({ copies, leftOut, follows }: TracedMailing) => {
  if (copies.length) return '';
  if (leftOut.length) return follows ? 'left the series before it' : 'left out';
  return follows ? 'has not come to it' : 'not picked out by its lines';
};
</script>

<template>
  <div class="screen">
    <p class="quiet">
      <router-link :to="`/clients/${id}`">Correspondence and files</router-link> ·
      <router-link :to="`/clients/${id}/record`">Record</router-link>
    </p>
    <h1>{{ data ? `Mailings to ${data.client}` : 'Mailings' }}</h1>
    <Trouble :words="problem" :retry="load" class="my-2" />
    <template v-if="data">
      <section aria-labelledby="today" class="sheet pa-4 mt-3">
        <h2 id="today">Would a mailing reach them today?</h2>
        <ul class="lines">
          <li v-for="each in data.reached" :key="each.email">
            <b class="good">Yes</b> {{ each.name }} at {{ each.email }}, from {{ each.from }}
          </li>
          <li v-for="(each, at) in data.hindrances" :key="at">
            <b class="needs">No</b> {{ each.why }}{{ each.detail ? `: ${each.detail}` : '' }}
            <span class="quiet">{{ REMEDIES[each.why] ?? '' }}</span>
          </li>
          <li v-if="!data.reached.length && !data.hindrances.length">
            <b class="needs">No</b> Nobody of this client is written to.
            <span class="quiet">Say on the record who is.</span>
          </li>
          <li v-if="data.past">
            <b class="look">Look</b> They are a past client: only a mailing that lets past clients in reaches
            them.
          </li>
          <li v-for="each in data.topicsOut" :key="`${each.topic} ${each.email}`">
            <b class="look">Look</b> Nothing about {{ each.topic }} to {{ each.email }}
            <span class="quiet">{{ each.how }}</span>
          </li>
        </ul>
      </section>
      <h2 class="mt-6 mb-2">How each mailing went</h2>
      <p v-if="!data.mailings.length" class="quiet">No mailing has been released yet.</p>
      <div v-for="mailing in data.mailings" :key="mailing.id" class="sheet mailing">
        <header>
          <router-link :to="`/mailings/${mailing.id}`"
            ><strong>{{ mailing.name }}</strong></router-link
          >
          <span class="quiet">{{ date(mailing.releasedAt) }} {{ outcome(mailing) }}</span>
        </header>
        <p v-for="(each, at) in mailing.leftOut" :key="at">
          Left out: {{ each.why }}{{ each.detail ? `, ${each.detail}` : '' }}
        </p>
        <div v-for="copy in mailing.copies" :key="copy.id" class="copy">
          <p>
            {{ copy.to }} <span class="quiet">{{ copy.address }}</span>
            <button v-if="copy.messageId" type="button" class="link" @click="message = copy.messageId">
              open
            </button>
          </p>
          <ol>
            <li v-for="(step, at) in copy.steps" :key="at">
              <span class="figures quiet">{{ full(step.at) }}</span> {{ step.words }}
            </li>
          </ol>
        </div>
      </div>
      <Pager :offset="offset" :limit="LIMIT" :total="data.total" what="mailings" @move="offset = $event" />
    </template>
    <MessageDialog v-model="message" @changed="load" />
  </div>
</template>

<style scoped>
.lines {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
}
.lines li {
  padding: 5px 0;
  border-bottom: 1px solid var(--hairline);
}
.good {
  color: var(--spruce);
}
.look {
  color: var(--ochre);
}
.mailing {
  padding: 12px 16px;
  margin-bottom: 8px;
}
.mailing header {
  display: flex;
  justify-content: space-between;
  gap: 16px;
}
.copy ol {
  list-style: none;
  margin: 4px 0 6px;
  padding-left: 14px;
  border-left: 2px solid var(--hairline);
}
.copy .figures {
  display: inline-block;
  min-width: 150px;
}
</style>
