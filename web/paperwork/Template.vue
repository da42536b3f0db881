<script setup lang="ts">
import { computed, reactive, ref, useTemplateRef, watch } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { useEventListener } from '@vueuse/core';
import { z } from 'zod';
import {
  FactInfo,
  TemplateChange,
  TemplateView,
  type FieldMatching,
  type FileRef,
} from '../../contract/index.ts';
import { nameKey, rowsOfFact } from '../../core/docx/names.ts';
import { SIGNED_FACT } from '../../core/facts/catalogue.ts';
import { act, posted, takeFile, upload, wordsOf } from '../api.ts';
import Look from '../documents/Look.vue';
import FileFinder from '../parts/FileFinder.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { many } from '../words.ts';

/** One template: what stands for each of its fields, tried with a client's facts. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const may = computed(() => session.may('prepare paperwork'));
const path = `/paperwork/templates/${Number(route.params.id)}`;
const { data: template, problem, load } = useLoad(TemplateView, () => path);
const { data: facts } = useLoad(z.array(FactInfo), () => '/paperwork/facts');
const draft = reactive<{ title: string; matching: FieldMatching }>({ title: '', matching: {} });
const begun = ref('');
watch(template, (now) => {
  if (!now) return;
  draft.title = now.title;
  draft.matching = Object.fromEntries(
    now.wanted.fields.map(({ name }) => [
      nameKey(name),
      { ...(now.matching[nameKey(name)] ?? { fact: null, instead: '' }) },
    ]),
  );
  begun.value = JSON.stringify(draft);
});
const changed = computed(() => begun.value !== '' && JSON.stringify(draft) !== begun.value);
onBeforeRouteLeave(
  () =>
    !changed.value ||
    window.confirm('What you changed is not kept yet. Leave this page all the same, and lose it?'),
);
useEventListener(window, 'beforeunload', (event) => {
  if (changed.value) event.preventDefault();
});

const fields = computed(() =>
  (template.value?.wanted.fields ?? []).flatMap((field) => {
    const match = draft.matching[nameKey(field.name)];
    return match ? [{ ...field, match }] : [];
  }),
);
/** What can stand for a field: what there are several of in rows of a table alone. */
const offered = (inRow: boolean) =>
  (facts.value ?? [])
    .filter(({ key }) => key !== SIGNED_FACT.key && (inRow || !rowsOfFact(key)))
    .map(({ key, label, source }) => ({ value: key, title: label, props: { subtitle: source } }));
/** How often it stands there, and where. */
const noteOf = (times: number, inRow: boolean) =>
  [times > 1 ? `${times} times` : '', inRow ? 'in a row that repeats' : ''].filter(Boolean).join(', ');
const open = computed(
  () => fields.value.filter(({ match }) => match.fact === null && !match.instead.trim()).length,
);

const busy = ref(false);
const failed = ref('');
const said = ref('');
async function attempt(work: () => Promise<void>) {
  busy.value = true;
  said.value = '';
  try {
    await work();
    failed.value = '';
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const keep = () =>
  attempt(async () => {
    const change = TemplateChange.parse({ ...draft, version: template.value?.version });
    await act('PUT', path, change);
    await load();
    said.value = 'Kept.';
  });
const wrong = computed(() =>
  TemplateChange.shape.title.safeParse(draft.title).success ? '' : 'Give it a name of at most 200 letters.',
);

const bytes = ref<ArrayBuffer | null>(null);
const client = ref<{ id: number; name: string } | null>(null);
const finding = ref(false);
const ask = (as: 'pdf' | 'docx') => ({ clientId: client.value?.id ?? null, matching: draft.matching, as });
const look = () =>
  attempt(async () => {
    bytes.value = await (await posted(`${path}/try`, ask('pdf'))).arrayBuffer();
  });
const takeOut = () => attempt(() => takeFile(`${path}/try`, ask('docx')));
function choose(file: FileRef) {
  client.value = { id: file.clientId, name: file.clientName };
  if (!template.value?.without) void look();
}

const chooser = useTemplateRef<HTMLInputElement>('chooser');
const replace = async () => {
  const file = chooser.value?.files?.[0];
  if (chooser.value) chooser.value.value = '';
  if (!file) return;
  // What was matched and not kept yet is kept first: the page is read anew afterwards.
  if (changed.value) {
    await keep();
    if (failed.value) return;
  }
  await attempt(async () => {
    await upload(`${path}/content`, { filename: file.name }, file);
    await load();
    bytes.value = null;
    said.value = 'It is in the place of the former one. What was matched by name stays matched.';
  });
};
const dropping = ref(false);
const drop = () =>
  attempt(async () => {
    await act('DELETE', path);
    begun.value = JSON.stringify(draft);
    await router.push('/paperwork/templates');
  }).finally(() => (dropping.value = false));
</script>

<template>
  <div class="screen">
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <template v-if="template">
      <header class="head">
        <v-text-field
          v-model="draft.title"
          label="What it is called"
          class="name"
          :error-messages="wrong"
          :readonly="!may"
        />
        <v-btn @click="router.push('/paperwork/templates')">To the others</v-btn>
        <v-btn
          v-if="may"
          color="primary"
          variant="flat"
          :disabled="!changed || Boolean(wrong)"
          :loading="busy"
          @click="keep"
          >Keep</v-btn
        >
      </header>
      <Trouble :words="failed" class="mb-2" />
      <p v-if="said" class="quiet" role="status">{{ said }}</p>
      <div class="two">
        <section aria-label="Its fields">
          <p v-if="!fields.length">It has no merge fields: everybody gets the same.</p>
          <p v-else>
            {{ many(fields.length, 'field')
            }}<span v-if="open" class="needs">, {{ open }} to be matched yet</span>.
          </p>
          <ul v-if="template.wanted.warnings.length" class="warnings">
            <li v-for="words in template.wanted.warnings" :key="words">{{ words }}</li>
          </ul>
          <div v-for="{ name, times, inRow, match } in fields" :key="name" class="field sheet">
            <v-autocomplete
              v-model="match.fact"
              :items="offered(inRow)"
              :label="name"
              :hint="noteOf(times, inRow)"
              :persistent-hint="Boolean(noteOf(times, inRow))"
              :readonly="!may"
              clearable
            />
            <v-text-field
              v-model="match.instead"
              :label="match.fact === null ? 'Always the same' : 'Where that is missing'"
              :aria-label="`Instead of ${name}`"
              :readonly="!may"
              maxlength="300"
            />
          </div>
          <p class="mt-3">
            <a :href="`/api${path}/content`" download>{{ template.filename }}</a>
          </p>
          <template v-if="may">
            <v-btn size="small" class="mt-2" :loading="busy" @click="chooser?.click()"
              >Put another document in its place…</v-btn
            >
            <input ref="chooser" type="file" accept=".docx" hidden aria-hidden="true" @change="replace" />
            <button type="button" class="link ml-3" @click="dropping = true">take it out of the list</button>
          </template>
        </section>
        <section aria-label="Tried" class="tried">
          <div class="tools">
            <span>With {{ client?.name ?? 'the first client there is' }}</span>
            <v-btn size="small" @click="finding = true">Another client…</v-btn>
            <v-btn v-if="!template.without" size="small" :loading="busy" @click="look">Look at it</v-btn>
            <v-btn size="small" :loading="busy" @click="takeOut">Take it out as .docx</v-btn>
          </div>
          <p v-if="template.without" class="quiet">{{ template.without }}</p>
          <Look
            v-if="bytes"
            page=""
            content=""
            :bytes="bytes"
            look="pdf"
            filename="The template, filled in"
            class="look"
          />
          <p v-else-if="!template.without" class="quiet none">
            Look at it as it would be made, before you use it.
          </p>
        </section>
      </div>
    </template>
    <FileFinder v-model="finding" @choose="choose" />
    <AskDialog v-model="dropping" label="Take it out" :max-width="440">
      <p>“{{ template?.title }}” cannot be chosen any more. What was made of it stays.</p>
      <template #answers>
        <v-btn @click="dropping = false">Keep it</v-btn>
        <v-btn color="error" variant="flat" :loading="busy" @click="drop">Take it out</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 12px;
}
.name {
  flex: 1 1 260px;
}
.two {
  display: grid;
  grid-template-columns: minmax(280px, 440px) minmax(0, 1fr);
  gap: 20px;
}
.field {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  align-items: start;
  gap: 8px;
  padding: 10px 12px 12px;
  margin-top: 10px;
}
.warnings {
  margin: 8px 0 0;
  padding-left: 18px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 10px;
}
.look {
  height: 680px;
}
.none {
  padding: 24px;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
