<script setup lang="ts">
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import { Made, MailingDraft } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import { many } from '../words.ts';
import { useMailingDraft } from './mailingDraft.ts';

/** The messages of a series while it is written: each is reached from here, and another is put behind the last. */
const editing = useMailingDraft();
const router = useRouter();
const busy = ref(false);
async function add() {
  busy.value = true;
  try {
    if (!(await editing.save())) return;
    const { id } = await send('POST', Made, `/mailings/${editing.mailing?.id ?? 0}/follow`, {});
    await router.push(`/mailings/${id}/message`);
  } catch (error) {
    editing.tell(wordsOf(error));
  } finally {
    busy.value = false;
  }
}
/** What stands in the field while one types: the page may be drawn anew meanwhile. */
const typed = ref<string | null>(null);
/** What is no number of days stays as it was. */
function wait() {
  const { success, data } = MailingDraft.shape.waitDays.safeParse(Number(typed.value));
  if (success && editing.draft) editing.draft.waitDays = data;
  typed.value = null;
}
async function go(id: number) {
  if (await editing.save()) await router.push(`/mailings/${id}/message`);
}
</script>

<template>
  <nav class="series" aria-label="Messages of the series">
    <template v-for="each in editing.mailing?.series ?? []" :key="each.id">
      <template v-if="each.waitDays === null" />
      <span v-else-if="each.id !== editing.mailing?.id" class="quiet"
        >{{ many(each.waitDays, 'day') }} later</span
      >
      <label v-else class="quiet"
        ><input
          :value="typed ?? editing.draft?.waitDays"
          type="number"
          min="1"
          max="365"
          class="days figures"
          aria-label="Days after the message before"
          @input="typed = ($event.target as HTMLInputElement).value"
          @change="wait"
        />
        days later</label
      >
      <button
        type="button"
        class="plain one"
        :class="{ on: each.id === editing.mailing?.id }"
        :aria-current="each.id === editing.mailing?.id ? 'page' : undefined"
        :title="each.name"
        @click="go(each.id)"
      >
        <b class="figures">{{ each.step }}</b>
        {{ each.id === editing.mailing?.id ? editing.draft?.name : each.name }}
      </button>
    </template>
    <button type="button" class="link" :disabled="busy" @click="add">
      {{ editing.mailing?.series.length ? 'another' : 'add a message that follows some days later' }}
    </button>
    <span v-if="!editing.mailing?.series.length" class="quiet"
      >to those who have not answered by then, nor opted out</span
    >
  </nav>
</template>

<style scoped>
.series {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
}
.one {
  max-width: 220px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  padding: 3px 10px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.one.on {
  border-color: var(--spruce);
  border-bottom-width: 3px;
  font-weight: 700;
}
.days {
  width: 54px;
  padding: 2px 4px;
  border: 1px solid var(--strong);
  background: var(--sheet);
  color: var(--ink);
}
</style>
