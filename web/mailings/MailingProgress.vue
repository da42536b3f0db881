<script setup lang="ts">
import { computed } from 'vue';
import type { MailingRow } from '../../contract/index.ts';
import { many, useTimes } from '../words.ts';

/** A mailing in two lines: how much was sent, and what comes next. */
const props = defineProps<{ mailing: MailingRow }>();
const { full, ago } = useTimes();
const count = computed(() => props.mailing.progress.byState);
const gone = computed(() => count.value.sent + count.value.returned);
const drafted = computed(() => props.mailing.state === 'draft' || props.mailing.state === 'ready');
const words = computed(() => {
  const { progress, state } = props.mailing;
  const parts: string[] = [];
  if (props.mailing.messages > 1) parts.push(`A series of ${props.mailing.messages} messages`);
  if (state === 'paused') parts.push('Paused');
  if (state === 'finished')
    parts.push(props.mailing.goesOn ? 'This one has gone, the series goes on' : 'All gone');
  if (state === 'cancelled') parts.push('Cancelled');
  if (progress.endsAt && state === 'going') parts.push(`Last one ${full(progress.endsAt)}`);
  if (count.value.delayed) parts.push(`${count.value.delayed} tried again later`);
  if (count.value.returned) parts.push(`${count.value.returned} returned`);
  if (count.value.uncertain) parts.push(`${count.value.uncertain} uncertain`);
  if (progress.total) parts.push(`${many(progress.answered, 'answer')} so far`);
  return parts.join('. ');
});
</script>

<template>
  <div>
    <p class="line">
      <router-link :to="`/mailings/${mailing.id}`" class="name">{{ mailing.name }}</router-link>
      <span class="figures">{{
        mailing.state === 'ready'
          ? 'to be released'
          : drafted
            ? 'being written'
            : `${gone} of ${mailing.progress.total} sent`
      }}</span>
    </p>
    <v-progress-linear
      v-if="!drafted"
      class="share"
      :model-value="mailing.progress.total ? (100 * gone) / mailing.progress.total : 0"
      :aria-label="`${gone} of ${mailing.progress.total} messages sent`"
    />
    <p class="quiet">
      <template v-if="drafted"
        >{{ mailing.messages > 1 ? `A series of ${mailing.messages} messages. ` : ''
        }}{{ mailing.state === 'ready' ? 'Handed over, written' : `Saved ${ago(mailing.savedAt)}` }} by
        {{ mailing.owner }}.
        <router-link :to="`/mailings/${mailing.id}`">{{
          mailing.state === 'ready' ? 'Look at it' : 'Go on'
        }}</router-link></template
      >
      <template v-else>{{ words }}</template>
    </p>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
.name {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
.share {
  border: 1px solid var(--strong);
  margin: 4px 0;
}
</style>
