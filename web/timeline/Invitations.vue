<script setup lang="ts">
import { ref } from 'vue';
import {
  MessageInvitations,
  TimelineEntry,
  type FileRef,
  type MessageInvitation,
} from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { list, useTimes } from '../words.ts';

/** Invitations that came with a message: one puts them on its file as a meeting, or lets one change what is kept. */
const props = defineProps<{ messageId: number; files: readonly FileRef[] }>();
const session = useSession();
const { full, clock, day } = useTimes();
const { data: found, load } = useLoad(MessageInvitations, () => `/messages/${props.messageId}/invitations`, {
  concerns: { timeline: true },
});
const trouble = ref('');
async function take(index: number, fileId: number | null) {
  try {
    await send('POST', TimelineEntry, `/messages/${props.messageId}/invitations/${index}`, { fileId });
    trouble.value = '';
    await load();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
type Found = MessageInvitation;
const when = (each: Found) =>
  each.wholeDay ? day(each.at) : `${full(each.at)}${each.endsAt ? `–${clock(each.endsAt)}` : ''}`;
const whom = (each: Found) => list(each.attendees.slice(0, 6).map(({ name, email }) => name || email));
</script>

<template>
  <section v-for="each in found ?? []" :key="each.index" class="invitation" aria-label="Invitation">
    <strong>{{ each.off ? 'Called off' : 'Invitation' }}: {{ each.summary || 'a meeting' }}</strong>
    <p class="quiet">
      {{ when(each) }}{{ each.place ? `, ${each.place}` : ''
      }}{{ each.repeats ? '; repeats, the first time' : ''
      }}{{ each.attendees.length ? `; with ${whom(each)}` : '' }}
    </p>
    <p v-if="trouble" class="needs" role="alert">{{ trouble }}</p>
    <p v-if="each.kept && !each.kept.older" class="quiet">It stands on {{ each.kept.number }}.</p>
    <template v-else-if="session.may('keep the timeline')">
      <button v-if="each.kept" type="button" class="link" @click="take(each.index, null)">
        {{ each.off ? 'Call it off' : 'Change it' }} on {{ each.kept.number }} too
      </button>
      <template v-else-if="!each.off">
        <button
          v-for="file in files"
          :key="file.id"
          type="button"
          class="link put"
          @click="take(each.index, file.id)"
        >
          Put it on {{ file.number }}
        </button>
        <span v-if="!files.length" class="quiet">Give the message a file, and it can be put there.</span>
      </template>
    </template>
  </section>
</template>

<style scoped>
.invitation {
  border: 1px dashed var(--ochre);
  padding: 8px 12px;
  margin: 10px 0;
}
.put {
  margin-right: 14px;
}
</style>
