<script setup lang="ts">
import { useDebounceFn, useEventListener } from '@vueuse/core';
import { computed, ref, useTemplateRef, watch } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { z } from 'zod';
import {
  FactInfo,
  KeptWording,
  Made,
  MailingSaved,
  WordingDraft,
  WordingLook,
  WordingVersion,
} from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, get, send, wordsOf } from '../api.ts';
import PutFact from '../mailings/PutFact.vue';
import FormatBar from '../parts/FormatBar.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import LinkField from '../register/LinkField.vue';
import EnclosurePart from './EnclosurePart.vue';
import GoingWith from './GoingWith.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import { KINDS, OCCASIONS } from './occasions.ts';

/** One wording: written, looked at with a real client's facts, and brought back as it was before. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const { full } = useTimes();
const EMPTY: DocNode = { type: 'doc', content: [{ type: 'paragraph' }] };
const id = computed(() => (route.params.id === 'new' ? null : Number(route.params.id)));
const kept = ref<KeptWording | null>(null);
const form = ref<WordingDraft>({
  kind: route.query.kind === 'signature' ? 'signature' : 'template',
  name: '',
  description: '',
  own: route.query.kind === 'signature',
  letters: '',
  occasion: null,
  subject: EMPTY,
  body: EMPTY,
  enclosureIds: [],
});
const standing = ref(JSON.stringify(form.value));
const changed = computed(() => JSON.stringify(form.value) !== standing.value);
const mine = computed(() => id.value === null || (kept.value?.mine ?? false));
const { errorOf, problem, submit, busy } = useForm(WordingDraft, [
  'name',
  'description',
  'letters',
  'occasion',
  'enclosureIds',
]);
const unread = ref('');
const { data: facts } = useLoad(z.array(FactInfo), () => '/facts/known');
const label = (key: string) => facts.value?.find((each) => each.key === key)?.label ?? key;

async function open() {
  unread.value = '';
  versions.value = null;
  if (id.value === null) return;
  try {
    kept.value = await get(KeptWording, `/wordings/kept/${id.value}`);
    const { kind, name, description, own, letters, occasion, subject, body, enclosureIds } = kept.value;
    form.value = { kind, name, description, own, letters, occasion, subject, body, enclosureIds };
    standing.value = JSON.stringify(form.value);
    if (kind === 'enclosure') await readVersions();
  } catch (error) {
    unread.value = wordsOf(error);
  }
}
/** Another file lies in it now; what is being typed about it stays. */
async function renew() {
  kept.value = await get(KeptWording, `/wordings/kept/${id.value}`);
  await readVersions();
}
const keep = () =>
  submit(form.value, async (draft) => {
    if (id.value === null) {
      const made = await send('POST', Made, '/wordings', draft);
      standing.value = JSON.stringify(form.value);
      await router.replace(`/wordings/${made.id}`);
    } else {
      const version = kept.value?.version ?? 0;
      await send('PUT', MailingSaved, `/wordings/${id.value}`, { ...draft, version });
      await open();
    }
  });

const dropping = ref(false);
async function drop() {
  try {
    await act('DELETE', `/wordings/${id.value}`);
    standing.value = JSON.stringify(form.value);
    await router.push('/wordings');
  } catch (error) {
    unread.value = wordsOf(error);
  }
  dropping.value = false;
}

/** What it was before; opened, one takes the place of what is written, and is kept only when that is said. */
const versions = ref<WordingVersion[] | null>(null);
async function readVersions() {
  try {
    versions.value = await get(z.array(WordingVersion), `/wordings/kept/${id.value}/versions`);
  } catch (error) {
    unread.value = wordsOf(error);
  }
}
const bringBack = ({ name, subject, body }: WordingVersion) => {
  form.value = { ...form.value, name, subject, body };
};

const client = ref<number | null>(null);
const look = ref<WordingLook | null>(null);
const looking = ref('');
const readLook = useDebounceFn(async () => {
  if (!client.value) return;
  const { kind, subject, body } = form.value;
  try {
    look.value = await send('POST', WordingLook, '/wordings/tried', {
      kind,
      subject,
      body,
      clientId: client.value,
    });
    looking.value = '';
  } catch (error) {
    looking.value = wordsOf(error);
  }
}, 400);
watch(
  [client, () => form.value.kind, () => form.value.body, () => form.value.subject],
  () => void readLook(),
);
watch(() => route.params.id, open, { immediate: true });

const subject = useTemplateRef<InstanceType<typeof Writer>>('subject');
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const last = ref<'subject' | 'body'>('body');
const editor = computed(() => body.value?.editor);
const target = computed(() => (last.value === 'subject' ? subject.value?.editor : editor.value));
/** What is written; a file is kept by handing it over. */
const kinds = (['template', 'article', 'paragraph', 'signature'] as const).map((value) => ({
  value,
  title: KINDS[value].one,
}));
const isFile = computed(() => form.value.kind === 'enclosure');
const occasions = Object.entries(OCCASIONS).map(([value, title]) => ({ value, title }));

const leaving = ref<((leave: boolean) => void) | null>(null);
const asking = computed({
  get: () => leaving.value !== null,
  set: (open: boolean) => {
    if (!open) answer(false);
  },
});
function answer(leave: boolean) {
  leaving.value?.(leave);
  leaving.value = null;
}
onBeforeRouteLeave(() =>
  changed.value ? new Promise<boolean>((resolve) => (leaving.value = resolve)) : true,
);
useEventListener(window, 'beforeunload', (event) => {
  if (changed.value) event.preventDefault();
});
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <div class="grow">
        <p class="quiet">
          <router-link to="/wordings">Wordings</router-link
          ><template v-if="kept">
            · kept by {{ kept.owner ?? 'nobody'
            }}{{ kept.changedAt ? `, changed ${full(kept.changedAt)}` : '' }}</template
          >
        </p>
        <h1>{{ form.name || 'A new wording' }}</h1>
      </div>
      <template v-if="mine && session.may('keep wordings')">
        <v-btn v-if="id !== null" @click="dropping = true">Throw away…</v-btn>
        <v-btn color="primary" variant="flat" :disabled="!changed" :loading="busy" @click="keep">Keep</v-btn>
      </template>
    </header>
    <Trouble :words="problem || unread" class="mb-2" />
    <div class="whole" :class="{ alone: isFile }">
      <section class="write" aria-label="What it says">
        <div class="about">
          <v-text-field v-model="form.name" label="Name" maxlength="120" :error-messages="errorOf('name')" />
          <v-select v-if="!isFile" v-model="form.kind" :items="kinds" label="What it is" />
          <v-select
            v-if="form.kind === 'template'"
            v-model="form.occasion"
            :items="occasions"
            label="Serves by default"
            clearable
            placeholder="nothing in particular"
            persistent-placeholder
            :error-messages="errorOf('occasion')"
          />
          <v-text-field
            v-else-if="!isFile && form.kind !== 'signature'"
            v-model="form.letters"
            label="Letters that put it in, with Tab"
            :error-messages="errorOf('letters')"
          />
          <v-text-field
            v-model="form.description"
            class="wide"
            label="What it is for"
            :error-messages="errorOf('description')"
          />
          <v-checkbox v-model="form.own" label="for me alone" />
          <GoingWith
            v-if="form.kind === 'template'"
            v-model="form.enclosureIds"
            :errors="errorOf('enclosureIds')"
            class="whole-row"
          />
        </div>
        <EnclosurePart
          v-if="isFile && kept"
          :kept="kept"
          :versions="versions ?? []"
          :may="mine && session.may('keep wordings')"
          @changed="renew"
        />
        <div v-if="form.kind === 'template'" class="sheet subject">
          <span class="quiet subject-name">Subject</span>
          <Writer
            ref="subject"
            v-model="form.subject"
            line
            label="Subject"
            :field-label="label"
            class="subject-writer"
            @focus="last = 'subject'"
          />
        </div>
        <div v-if="!isFile" class="sheet body">
          <FormatBar
            :editor="editor"
            :facts="facts ?? []"
            @pictures="(files) => body?.insertPictures(files)"
          />
          <div class="scroll">
            <Writer
              ref="body"
              v-model="form.body"
              label="Text"
              :field-label="label"
              @focus="last = 'body'"
              @trouble="unread = $event"
            />
          </div>
        </div>
      </section>
      <aside v-if="!isFile" class="beside" aria-label="Beside it">
        <h2>As a client reads it</h2>
        <LinkField v-model="client" to="client" label="Which client" class="mt-2" />
        <Trouble :words="looking" class="mt-2" />
        <template v-if="look">
          <p class="mt-2">
            <strong>{{ look.subject }}</strong>
          </p>
          <p v-if="look.missing.length" class="needs">Not known of them: {{ look.missing.join(', ') }}</p>
          <iframe class="frame" sandbox="" :srcdoc="look.html" title="As this client reads it" tabindex="0" />
        </template>
        <div class="mt-6">
          <PutFact :facts="facts ?? []" :target="target" :blocks="last === 'body'" />
        </div>
        <template v-if="id !== null">
          <h2 class="mt-6">As it was before</h2>
          <button v-if="!versions" type="button" class="link" @click="readVersions">show earlier ones</button>
          <p v-else-if="!versions.length" class="quiet">It was never changed.</p>
          <ul v-else class="versions">
            <li v-for="each in versions" :key="each.version">
              <button type="button" class="link" @click="bringBack(each)">
                until {{ full(each.changedAt) }}
              </button>
              <span class="quiet">{{ each.by ? `, then changed by ${each.by}` : '' }}</span>
            </li>
          </ul>
          <p v-if="versions?.length" class="quiet mt-1">
            One that is brought back stands in the text; it is kept when you say so.
          </p>
        </template>
      </aside>
    </div>
    <AskDialog v-model="dropping" :max-width="420" label="Throw away">
      <template #heading>Throw this wording away?</template>
      <p>“{{ form.name }}” and all that it was before cannot be brought back. Messages made of it stay.</p>
      <template #answers>
        <v-btn @click="dropping = false">Keep it</v-btn>
        <v-btn color="error" variant="flat" @click="drop">Throw it away</v-btn>
      </template>
    </AskDialog>
    <AskDialog v-model="asking" :max-width="420" label="Not kept yet">
      <template #heading>Leave without keeping it?</template>
      <p>What you changed here has not been kept.</p>
      <template #answers>
        <v-btn @click="answer(true)">Leave</v-btn>
        <v-btn color="primary" variant="flat" @click="answer(false)">Stay</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 10px;
}
.grow {
  flex: 1;
  min-width: 0;
}
.whole {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 18px;
}
.alone {
  grid-template-columns: minmax(0, 1fr);
}
.write {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
}
.about {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 10px;
  align-items: start;
  padding-top: 6px;
}
.about .wide {
  grid-column: span 2;
}
.about .whole-row {
  grid-column: 1 / -1;
}
.subject {
  display: flex;
  align-items: center;
}
.subject-name {
  padding-left: 14px;
}
.subject-writer {
  flex: 1;
  min-width: 0;
}
.body {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.scroll,
.beside {
  overflow: auto;
  min-height: 0;
}
.frame {
  width: 100%;
  height: 240px;
  margin-top: 8px;
  border: 1px solid var(--hairline);
  background: #fff;
}
.versions {
  list-style: none;
  padding: 0;
  margin: 4px 0;
}
@media (max-width: 1000px) {
  .whole {
    grid-template-columns: minmax(0, 1fr) 230px;
    gap: 10px;
  }
  .about {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
