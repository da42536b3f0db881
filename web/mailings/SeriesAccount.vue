<script setup lang="ts">
import type { MailingView, SeriesStep } from '../../contract/index.ts';
import { many } from '../words.ts';

/** A series that is going: how many had each message, are to have it, or left before it. */
defineProps<{ mailing: MailingView }>();
const people = defineModel<boolean>('people', { required: true });
const leftWords = ({ left }: SeriesStep) =>
  left.length ? left.map(({ why, count }) => `${count} ${why}`).join(', ') : '';
</script>

<template>
  <section class="sheet series" aria-label="The series">
    <table class="ledger-table">
      <thead>
        <tr>
          <th scope="col">Message</th>
          <th scope="col">After the one before</th>
          <th scope="col" class="right">Had it</th>
          <th scope="col" class="right">Are to have it</th>
          <th scope="col">Left before it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in mailing.series" :key="each.id" :class="{ on: each.id === mailing.id }">
          <td>
            <b class="figures">{{ each.step }}</b>&ensp;<strong v-if="each.id === mailing.id">{{
              each.name
            }}</strong
            ><router-link v-else :to="`/mailings/${each.id}`">{{ each.name }}</router-link>
          </td>
          <td class="quiet">{{ each.waitDays ? many(each.waitDays, 'day') : '' }}</td>
          <td class="right figures">{{ each.sent.toLocaleString('en-GB') }}</td>
          <td class="right figures">{{ each.waiting.toLocaleString('en-GB') }}</td>
          <td class="quiet">{{ leftWords(each) }}</td>
        </tr>
      </tbody>
    </table>
    <p class="foot">
      <button type="button" class="link" :aria-pressed="people" @click="people = !people">
        {{ people ? 'back to the copies of this message' : 'who stands where' }}
      </button>
    </p>
  </section>
</template>

<style scoped>
.on td {
  background: var(--spruce-pale);
}
.foot {
  padding: 6px 12px;
  margin: 0;
}
</style>
