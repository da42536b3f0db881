<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue';
import { OwnCopy, type Preview } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import FormatBar from '../parts/FormatBar.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import { useMailingDraft } from './mailingDraft.ts';

/** The words of one copy, changed by hand: what all others say stays as it is. */
const props = defineProps<{ of: Preview }>();
const emit = defineEmits<{ done: [changed: boolean] }>();
const workshop = useMailingDraft();
const path = computed(() => `/mailings/${workshop.mailing?.id ?? 0}/copies/${props.of.key}`);
const copy = ref<OwnCopy | null>(null);
const problem = ref('');
const busy = ref(false);
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const label = (key: string) => workshop.facts.find((each) => each.key === key)?.label ?? key;
async function read() {
  try {
    copy.value = await get(OwnCopy, path.value);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function keep() {
  if (!copy.value) return;
  busy.value = true;
  try {
    const { subject, body: text } = copy.value;
    await act('PUT', path.value, { subject, body: text });
    emit('done', true);
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
void read();
</script>

<template>
  <div class="own">
    <header>
      <p>
        For <strong>{{ of.client }}</strong> alone. It does not follow what the others say any more.
      </p>
      <v-btn @click="emit('done', false)">Leave it</v-btn>
      <v-btn color="primary" variant="flat" :loading="busy" :disabled="!copy" @click="keep">Keep</v-btn>
    </header>
    <Trouble :words="problem" class="ma-3" />
    <template v-if="copy">
      <div class="subject">
        <span class="quiet">Subject</span>
        <Writer v-model="copy.subject" line label="Subject of this copy" :field-label="label" class="grow" />
      </div>
      <FormatBar
        :editor="body?.editor"
        :facts="workshop.facts"
        @pictures="(files) => body?.insertPictures(files)"
      />
      <div class="scroll">
        <Writer
          ref="body"
          v-model="copy.body"
          label="Words of this copy"
          :field-label="label"
          @trouble="problem = $event"
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
