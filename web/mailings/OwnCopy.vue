<script setup lang="ts">
import { computed, onBeforeUnmount, ref, useTemplateRef } from 'vue';
import { OwnCopy, type Preview } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import FormatBar from '../parts/FormatBar.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import { useAutosave } from '../ui/autosave.ts';
import { useMailingDraft } from './mailingDraft.ts';

/** The words of one copy, changed by hand: what all others say stays as it is. */
const props = defineProps<{ of: Preview }>();
const emit = defineEmits<{ done: [changed: boolean] }>();
const editing = useMailingDraft();
const path = computed(() => `/mailings/${editing.mailing?.id ?? 0}/copies/${props.of.key}`);
const copy = ref<OwnCopy | null>(null);
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const label = (key: string) => editing.facts.find((each) => each.key === key)?.label ?? key;
/** Something else than was read was kept. */
let changed = false;
const words = () => copy.value && { subject: copy.value.subject, body: copy.value.body };
const autosave = useAutosave(words, async (now) => {
  changed = true;
  await act('PUT', path.value, now);
});
const unread = ref('');
const problem = computed(() => unread.value || autosave.problem.value);
async function read() {
  try {
    copy.value = await get(OwnCopy, path.value);
    autosave.settled();
    unread.value = '';
  } catch (error) {
    unread.value = wordsOf(error);
  }
}
async function done() {
  if (await autosave.save()) emit('done', changed);
}
// Going to another step loses nothing either.
onBeforeUnmount(() => void autosave.save());
void read();
</script>

<template>
  <div class="own">
    <header>
      <p>
        For <strong>{{ of.client }}</strong> alone. What is changed here does not follow what the others say
        any more.
      </p>
      <span class="quiet" role="status">{{ autosave.unsaved.value ? 'keeping what you typed …' : '' }}</span>
      <v-btn color="primary" variant="flat" @click="done">Done</v-btn>
    </header>
    <Trouble :words="problem" class="ma-3" />
    <template v-if="copy">
      <div class="subject">
        <span class="quiet">Subject</span>
        <Writer v-model="copy.subject" line label="Subject of this copy" :field-label="label" class="grow" />
      </div>
      <FormatBar
        :editor="body?.editor"
        :facts="editing.facts"
        @pictures="(files) => body?.insertPictures(files)"
      />
      <div class="scroll">
        <Writer
          ref="body"
          v-model="copy.body"
          label="Words of this copy"
          :field-label="label"
          @trouble="unread = $event"
        />
      </div>
    </template>
  </div>
</template>

<style scoped>
.own {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
header {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 10px 16px;
  border-bottom: 1px solid var(--hairline);
}
header p {
  flex: 1;
  margin: 0;
}
.subject {
  display: flex;
  align-items: center;
  padding-left: 18px;
  border-bottom: 1px solid var(--hairline);
}
.grow {
  flex: 1;
  min-width: 0;
}
.scroll {
  overflow: auto;
}
</style>
