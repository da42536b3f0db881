<script setup lang="ts">
import { computed, ref } from 'vue';
import type { OwnPage } from '../../../contract/collection.ts';
import { MOST_UPLOAD, TAKEN_WORDS } from '../../../core/collection/upload.ts';
import { ask, Refused } from './ask.ts';
import { dayIn, dayOf, sizeOf } from './words.ts';

/** What we ask for, ticked off as it comes, and what was put there. */
const props = defineProps<{ page: OwnPage }>();
const emit = defineEmits<{ changed: [] }>();
const chooser = ref<HTMLInputElement | null>(null);
/** What the next file answers; null: nothing that is asked for. */
const meant = ref<number | null>(null);
const going = ref('');
const problems = ref<string[]>([]);
const said = ref('');
const STATES = {
  wanted: '',
  'to look at': 'has come; we have yet to look at it',
  came: 'has come, thank you',
};
const open = computed(() => props.page.wanted.filter(({ state }) => state === 'wanted').length);

function choose(wantedId: number | null) {
  meant.value = wantedId;
  chooser.value?.click();
}
async function chosen() {
  const files = [...(chooser.value?.files ?? [])];
  if (chooser.value) chooser.value.value = '';
  problems.value = [];
  said.value = '';
  let put = 0;
  for (const file of files) {
    going.value = file.name;
    try {
      if (file.size > MOST_UPLOAD) throw new Refused(413, `“${file.name}” is larger than 20 MB.`);
      const query = new URLSearchParams({
        filename: file.name,
        ...(meant.value === null ? {} : { wantedId: String(meant.value) }),
      });
      await ask('POST', `/uploads?${query}`, file);
      put++;
    } catch (error) {
      problems.value.push(error instanceof Refused ? error.message : `“${file.name}” could not be sent.`);
    }
  }
  going.value = '';
  if (put) said.value = put === 1 ? 'Thank you, it has come.' : `Thank you, ${put} have come.`;
  emit('changed');
}
async function takeBack(id: number) {
  problems.value = [];
  said.value = '';
  await ask('DELETE', `/uploads/${id}`).catch((error: unknown) => {
    problems.value = [error instanceof Refused ? error.message : 'That did not work. Please try again.'];
  });
  emit('changed');
}
</script>

<template>
  <section aria-labelledby="wanted">
    <h2 id="wanted">{{ page.wanted.length ? 'What we ask you for' : 'Send us something' }}</h2>
    <p v-if="page.wanted.length && !open" role="status">All of it has come. Thank you.</p>
    <ul class="wanted">
      <li v-for="each in page.wanted" :key="each.id" :class="{ there: each.state !== 'wanted' }">
        <span class="tick" aria-hidden="true">{{ each.state === 'wanted' ? '☐' : '☑' }}</span>
        <div>
          <strong>{{ each.name }}</strong>
          <span v-if="STATES[each.state]"> {{ STATES[each.state] }}</span>
          <p v-if="each.note && each.state === 'wanted'">{{ each.note }}</p>
          <p class="small">
            {{
              [each.about, each.byDay && each.state === 'wanted' ? `by ${dayOf(each.byDay)}, please` : '']
                .filter(Boolean)
                .join('; ')
            }}
          </p>
          <button
            v-if="each.state === 'wanted'"
            type="button"
            class="main"
            :disabled="Boolean(going)"
            :aria-label="`Put ${each.name} here`"
            @click="choose(each.id)"
          >
            Put it here
          </button>
        </div>
      </li>
    </ul>
    <p>
      <button
        type="button"
        :class="page.wanted.length ? 'quiet' : 'main'"
        :disabled="Boolean(going)"
        @click="choose(null)"
      >
        {{ page.wanted.length ? 'Put something else here' : 'Put something here' }}
      </button>
    </p>
    <input ref="chooser" type="file" multiple hidden aria-hidden="true" @change="chosen" />
    <p class="small">{{ TAKEN_WORDS }}, each 20 MB at most.</p>
    <p v-if="going" role="status">Sending “{{ going }}” …</p>
    <p v-if="said" class="said" role="status">{{ said }}</p>
    <p v-for="each in problems" :key="each" class="problem" role="alert">{{ each }}</p>
    <template v-if="page.uploads.length">
      <h3>What you have sent us</h3>
      <ul class="items">
        <li v-for="each in page.uploads" :key="each.id">
          {{ each.filename }}
          <p class="small">
            {{ sizeOf(each.size) }}, {{ dayIn(page.zone, each.at) }}:
            {{
              each.state === 'waiting'
                ? 'we have yet to look at it'
                : each.state === 'taken in'
                  ? 'it lies on your file'
                  : `we could not take it${each.why ? `: ${each.why}` : ''}`
            }}
            <button
              v-if="each.state === 'waiting'"
              type="button"
              class="plain"
              :aria-label="`Take ${each.filename} back`"
              @click="takeBack(each.id)"
            >
              take it back
            </button>
          </p>
        </li>
      </ul>
    </template>
  </section>
</template>
