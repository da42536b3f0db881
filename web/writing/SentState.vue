<script setup lang="ts">
import { computed } from 'vue';
import { useTimes } from '../words.ts';
import type { Desk } from './draft.ts';

/** What became of a message after it was sent off, and how to take it back while that is possible. */
const props = defineProps<{
  desk: Desk;
  /** In a window of its own, with no way to other screens. */ apart: boolean;
  now: number;
}>();
const { full } = useTimes();
const letter = computed(() => props.desk.letter);
const secondsLeft = computed(() => props.desk.secondsLeft(props.now));
const keptForLater = computed(
  () => letter.value?.state === 'waiting' && Date.parse(letter.value.sendAt ?? '') - props.now > 15_000,
);
</script>

<template>
  <div v-if="letter" class="sheet over pa-4">
    <template v-if="keptForLater">
      <p>
        <strong>Kept for later.</strong> It leaves
        {{ full(desk.sent?.leavesAt ?? letter.sendAt ?? letter.savedAt) }}.
      </p>
      <v-btn class="mt-2" @click="desk.recall">Take it back to change it</v-btn>
      <router-link v-if="!apart" to="/mail" class="ml-4">Back to the mail</router-link>
    </template>
    <template v-else-if="desk.sent && secondsLeft">
      <p>
        <strong>On its way</strong> in {{ secondsLeft }} s, to
        {{ desk.people.to.map((each) => each.name || each.email).join(', ') }}.
      </p>
      <v-btn class="mt-2" color="primary" @click="desk.recall">Undo</v-btn>
    </template>
    <template v-else-if="letter.state === 'sent'">
      <p>
        <strong>Sent.</strong>
        {{
          desk.files.length
            ? `It will be on ${desk.files.map((file) => file.number).join(' and ')}`
            : 'Its file is found by what it says'
        }}
        within a moment, as the very bytes that left.
      </p>
      <p v-if="letter.problem" class="needs mt-2">{{ letter.problem }}</p>
      <div class="mt-2">
        <router-link v-if="desk.files[0] && !apart" :to="`/clients/${desk.files[0].clientId}`" class="mr-4">{{
          desk.files[0].clientName
        }}</router-link>
        <router-link v-if="!apart" to="/mail">Back to the mail</router-link>
      </div>
    </template>
    <template v-else-if="letter.state === 'returned'">
      <p class="needs"><strong>It was refused.</strong> {{ letter.problem }}</p>
      <p class="quiet">Nothing was logged. Write again to another address, or ring.</p>
    </template>
    <template v-else>
      <p><strong>Going</strong> … {{ letter.problem ? `The server said: ${letter.problem}` : '' }}</p>
      <p v-if="letter.problem" class="quiet">It is tried again by itself.</p>
      <v-btn v-if="letter.problem" class="mt-2" @click="desk.recall">Take it back to change it</v-btn>
    </template>
  </div>
</template>
