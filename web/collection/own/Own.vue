<script setup lang="ts">
import { nextTick, onMounted, ref } from 'vue';
import { DoorView, OwnPage } from '../../../contract/collection.ts';
import { ask, read, Refused } from './ask.ts';
import Collect from './Collect.vue';
import Hears from './Hears.vue';
import Line from './Line.vue';
import Wanted from './Wanted.vue';

/** A client's own page: a link and a code open it; then all that lies there for them, in plain words. */
const door = ref<DoorView | null>(null);
const page = ref<OwnPage | null>(null);
const code = ref('');
const asked = ref(false);
const busy = ref(false);
const problem = ref('');
const closed = ref('');
const field = ref<HTMLInputElement | null>(null);

async function attempt(work: () => Promise<void>) {
  busy.value = true;
  problem.value = '';
  try {
    await work();
  } catch (error) {
    tell(error);
  } finally {
    busy.value = false;
  }
}
function tell(error: unknown) {
  if (!(error instanceof Refused)) problem.value = 'Something went wrong. Please try again.';
  else if (error.status === 404 && !page.value) closed.value = error.message;
  else problem.value = error.message;
}
async function load() {
  try {
    page.value = await read(OwnPage, '/page');
    document.title = `Your page at ${page.value.firm}`;
  } catch (error) {
    // Whoever has not shown a code yet is asked for one; a visit that has ended begins anew.
    if (!(error instanceof Refused) || error.status !== 401) throw error;
    if (page.value) problem.value = 'An hour has passed. Please ask for another code.';
    page.value = null;
    asked.value = false;
    door.value ??= await read(DoorView, '');
  }
}
const sendCode = () =>
  attempt(async () => {
    await ask('POST', '/code');
    asked.value = true;
    code.value = '';
    await nextTick();
    field.value?.focus();
  });
const enter = () =>
  attempt(async () => {
    await ask('POST', '/visit', { code: code.value });
    await load();
  });
const leave = () =>
  attempt(async () => {
    await ask('DELETE', '/visit');
    page.value = null;
    asked.value = false;
    door.value = await read(DoorView, '');
  });
onMounted(() => attempt(load));
</script>

<template>
  <main>
    <template v-if="closed">
      <h1>This link is closed</h1>
      <p>{{ closed }}</p>
    </template>
    <template v-else-if="!page">
      <h1>{{ door ? `Your page at ${door.firm}` : 'One moment …' }}</h1>
      <template v-if="door">
        <template v-if="!asked">
          <p>
            So that nobody else reads it, we send a code to the email address that we have on record for you.
          </p>
          <p>
            <button type="button" class="main" :disabled="busy" @click="sendCode">Send me a code</button>
          </p>
        </template>
        <form v-else @submit.prevent="enter">
          <p role="status">A code is on its way to your email address. It serves for a quarter of an hour.</p>
          <label for="code">The code of six figures</label>
          <input
            id="code"
            ref="field"
            v-model="code"
            inputmode="numeric"
            autocomplete="one-time-code"
            maxlength="12"
            class="code"
          />
          <p>
            <button type="submit" class="main" :disabled="busy || !code.trim()">Open my page</button>
            <button type="button" class="plain" :disabled="busy" @click="sendCode">send another one</button>
          </p>
        </form>
        <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
        <p class="small">
          Nothing comes? Look among what was set aside as unwanted, or ring
          {{ door.phone ? `us: ${door.phone}.` : 'us.' }}
        </p>
      </template>
      <p v-else-if="problem" class="problem" role="alert">
        {{ problem }} <button type="button" class="plain" @click="attempt(load)">try again</button>
      </p>
    </template>
    <template v-else>
      <header>
        <p class="firm">{{ page.firm }}</p>
        <h1>{{ page.name ? `For ${page.name}` : 'Your page' }}</h1>
      </header>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <Collect :page="page" @changed="load" />
      <Wanted :page="page" @changed="load" />
      <Line :page="page" @changed="load" />
      <Hears :page="page" @changed="load" />
      <footer>
        <p>
          <button type="button" class="plain" @click="leave">Close this page</button>
        </p>
        <p class="small">
          {{ page.firm }}{{ page.phone ? `, ${page.phone}` : '' }}. You opened this page by a link and a code
          sent to {{ page.email }}.
        </p>
      </footer>
    </template>
  </main>
</template>
