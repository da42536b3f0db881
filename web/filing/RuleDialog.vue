<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import { Rule, RuleDraft, RuleTrial, type FileRef, type MessageView } from '../../contract/index.ts';
import { send } from '../api.ts';
import { useForm } from '../ui/form.ts';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import AskDialog from '../ui/AskDialog.vue';

/** A rule of the office: made from a message or from nothing, tried on the past before it is kept. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ message?: MessageView | null }>();
const emit = defineEmits<{ kept: [words: string, outcome: RuleDraft['then']] }>();
const { brief } = useTimes();
type Kind = RuleDraft['then']['kind'];
const BY = [
  { value: 'address', title: 'mail with this address' },
  { value: 'domain', title: 'mail with anyone at this domain' },
  { value: 'list', title: 'mail of this list' },
  { value: 'subject', title: 'subjects with these words' },
];
const THEN = [
  { value: 'aside', title: 'is never client mail' },
  { value: 'file', title: 'always goes to' },
  { value: 'never', title: 'never goes to' },
  { value: 'private', title: 'is always private' },
];
const draft = reactive({ by: 'address' as RuleDraft['by'], pattern: '', kind: 'aside' as Kind });
const file = ref<FileRef | null>(null);
const finding = ref(false);
const trial = ref<RuleTrial | null>(null);
const { errorOf, problem, busy, submit, clear } = useForm(RuleDraft, ['pattern']);
const needsFile = computed(() => draft.kind === 'file' || draft.kind === 'never');
const ready = computed(() => draft.pattern.trim() && (!needsFile.value || file.value));

const outside = computed(() => {
  const parties = props.message?.parties ?? [];
  return (props.message?.direction === 'received' ? parties[0] : parties[1])?.email ?? '';
});
function suggest(by: RuleDraft['by']): string {
  if (by === 'address') return outside.value;
  if (by === 'domain') return outside.value.split('@')[1] ?? '';
  if (by === 'list') return props.message?.listId.replace(/^.*<|>.*$/g, '') ?? '';
  return props.message?.subject ?? '';
}
watch(open, (now) => {
  if (!now) return;
  Object.assign(draft, { by: props.message?.listId ? 'list' : 'address', kind: 'aside' });
  draft.pattern = suggest(draft.by);
  file.value = props.message?.files[0] ?? null;
  trial.value = null;
  clear();
});
watch(
  () => draft.by,
  (by) => {
    if (props.message) draft.pattern = suggest(by);
  },
);
watch(draft, () => (trial.value = null));

function asRule(): RuleDraft {
  const then =
    draft.kind === 'file' || draft.kind === 'never'
      ? { kind: draft.kind, fileId: file.value?.id ?? 0 }
      : { kind: draft.kind };
  return { by: draft.by, pattern: draft.pattern, then };
}
const tryIt = () =>
  submit(asRule(), async (rule) => {
    trial.value = await send('POST', RuleTrial, '/filing/rules/try', rule);
  });
const keep = () =>
  submit(asRule(), async (rule) => {
    const kept = await send('POST', Rule, '/filing/rules', rule);
    open.value = false;
    emit('kept', kept.words, rule.then);
  });
</script>

<template>
  <AskDialog v-model="open" :max-width="680" label="A rule">
    <template #heading>Always do this</template>
    <p class="quiet mb-3">
      A rule comes before everything filing has learned. Try it on the mail that is here before you keep it.
    </p>
    <div class="rule">
      <v-select v-model="draft.by" :items="BY" label="All" />
      <v-text-field
        v-model="draft.pattern"
        label="Which"
        :error-messages="errorOf('pattern')"
        @keydown.enter="ready && tryIt()"
      />
      <v-select v-model="draft.kind" :items="THEN" label="Then" />
      <p v-if="needsFile" class="to">
        <FileTab v-if="file" state="logged" :label="file.number" />
        <span v-if="file">{{ file.title }}, {{ file.clientName }}</span>
        <v-btn size="small" @click="finding = true">{{ file ? 'Another file…' : 'Choose a file…' }}</v-btn>
      </p>
    </div>
    <Trouble :words="problem" class="mt-3" />
    <section v-if="trial" class="trial" role="status">
      <p>
        <strong>{{ trial.words }}.</strong> It speaks of {{ many(trial.matches, 'message') }} and would have
        moved <strong>{{ many(trial.moves, 'message') }}</strong><template v-if="trial.overPeople"
          >,
          <span class="needs"
            >{{ trial.overPeople.toLocaleString('en-GB') }} of them settled by a person</span
          ></template
        >. What is here stays where it is; the rule counts from now on.
      </p>
      <ul>
        <li v-for="each in trial.sample" :key="each.id">
          <span class="figures quiet">{{ brief(each.at) }}</span> {{ each.from }}: {{ each.subject }}
        </li>
      </ul>
    </section>

    <FileFinder v-model="finding" @choose="(found) => (file = found)" />

    <template #answers>
      <v-btn @click="open = false">Leave it</v-btn>
      <v-btn :disabled="!ready" :loading="busy && !trial" @click="tryIt">Try it on the past</v-btn>
      <v-btn color="primary" variant="flat" :disabled="!trial" :loading="busy && !!trial" @click="keep"
        >Keep the rule</v-btn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.rule {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.to {
  grid-column: 1 / -1;
  display: flex;
  gap: 10px;
  align-items: center;
}
.trial {
  border: 1px solid var(--hairline);
  padding: 10px 12px;
  margin-top: 14px;
}
.trial ul {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
  font-size: 13px;
}
.trial li {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
