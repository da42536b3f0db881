<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import {
  ClientPages,
  Made,
  PageLink,
  type CollectionItem,
  type CollectionPage,
  type CollectionUpload,
  type CollectionWanted,
} from '../../contract/index.ts';
import { act, send } from '../api.ts';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { about } from '../ui/live.ts';
import { useAttempt } from '../ui/attempt.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import AskForDialog from './AskForDialog.vue';
import UploadDialog from './UploadDialog.vue';
import { dayWords, useFares } from './words.ts';

/** The pages of a client's people: what lies there, what is asked for, what came. */
const props = defineProps<{ clientId: number; fileId: number | null }>();
const session = useSession();
const router = useRouter();
const may = computed(() => session.may('keep documents'));
const { full, day } = useTimes();
const { itemWords, wantedWords } = useFares();
const { data, problem, load } = useLoad(ClientPages, () => `/clients/${props.clientId}/pages`, {
  concerns: {
    collection: about('client', () => [props.clientId]),
    records: about('client', () => [props.clientId]),
  },
});
/** Of the file that is chosen alone, where one is. */
const onFile = <T extends { file: { id: number } }>(all: readonly T[]) =>
  all.filter(({ file }) => props.fileId === null || file.id === props.fileId);
const pages = computed(() =>
  (data.value?.pages ?? []).map((page) => ({
    ...page,
    items: onFile(page.items),
    wanted: onFile(page.wanted),
    uploads: onFile(page.uploads),
  })),
);
const asking = ref<number | null>(null);
const looking = ref<CollectionUpload | null>(null);
const link = ref<{ url: string; until: string; name: string } | null>(null);
const closing = ref<CollectionPage | null>(null);
const { attempt, failed } = useAttempt(load);
const done = ref('');
/** What was done last, to be taken back. */
const back = ref<(() => Promise<void>) | null>(null);
async function settle(work: () => Promise<void>, words: string, undo: (() => Promise<void>) | null = null) {
  if (!(await attempt(work))) return;
  done.value = words;
  back.value = undo;
}
function said(words: string) {
  asking.value = null;
  looking.value = null;
  done.value = words;
  back.value = null;
  void load();
}
const withdraw = (item: CollectionItem, withdrawn: boolean) =>
  settle(
    () => act('PUT', `/collection/items/${item.id}`, { withdrawn }),
    `“${item.filename}” ${withdrawn ? 'was taken off their page' : 'lies there again'}.`,
    () => act('PUT', `/collection/items/${item.id}`, { withdrawn: !withdrawn }),
  );
const tick = (wanted: CollectionWanted, to: 'wanted' | 'came' | 'wanted no more') => {
  const was = wanted.state === 'to look at' ? 'wanted' : wanted.state;
  return settle(
    () => act('PUT', `/collection/wanted/${wanted.id}`, { to }),
    `“${wanted.name}”: ${to === 'wanted' ? 'asked for again' : to}.`,
    () => act('PUT', `/collection/wanted/${wanted.id}`, { to: was }),
  );
};
const path = (personId: number) => `/clients/${props.clientId}/pages/${personId}`;
const showLink = (page: CollectionPage) =>
  attempt(async () => {
    link.value = { ...(await send('POST', PageLink, `${path(page.personId)}/link`, {})), name: page.name };
  });
const copied = ref(false);
async function copy() {
  copied.value = await navigator.clipboard.writeText(link.value?.url ?? '').then(
    () => true,
    () => false,
  );
}
const write = (page: CollectionPage) =>
  attempt(async () => {
    const { id } = await send('POST', Made, `${path(page.personId)}/letter`, {});
    await router.push(`/writing/${id}`);
  });
function settlePage(page: CollectionPage, withdrawn: boolean) {
  closing.value = null;
  return settle(
    () => act('PUT', path(page.personId), { withdrawn }),
    withdrawn
      ? `The page of ${page.name} is withdrawn: no link opens it.`
      : `The page of ${page.name} can be opened again, by links that are sent from now on.`,
  );
}
const STATE = { 'never used': 'not used yet', open: 'open', withdrawn: 'withdrawn' };
</script>

<template>
  <section class="pages" aria-label="Their pages">
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <p v-if="data && !data.reached" class="sheet note">
      Patient Clerk does not know yet where it is reached on the web, so that no link can be sent.
      <router-link v-if="session.may('run the office')" to="/settings/firm">Say so in Settings</router-link>
    </p>
    <p class="said quiet" role="status">
      {{ done }}
      <button v-if="back" type="button" class="link" @click="settle(back, 'Taken back.')">
        take it back
      </button>
    </p>
    <p v-if="data && !data.pages.length" class="sheet none quiet">
      Nobody is named with this client yet. Name them on the record; then each can have a page of their own.
    </p>
    <article v-for="page in pages" :key="page.personId" class="sheet page">
      <header>
        <h2>{{ page.name || 'Somebody' }}</h2>
        <span class="quiet"
          >{{ STATE[page.state] }}{{ page.openedAt ? `, last opened ${full(page.openedAt)}` : '' }}</span
        >
        <span v-if="may" class="acts">
          <template v-if="page.state !== 'withdrawn'">
            <v-btn size="small" :disabled="!page.email" @click="asking = page.personId"
              >Ask for something…</v-btn
            >
            <v-btn size="small" :disabled="!page.email || !data?.reached" @click="showLink(page)"
              >The link…</v-btn
            >
            <v-btn size="small" :disabled="!page.email || !data?.reached" @click="write(page)"
              >Write with it</v-btn
            >
            <v-btn v-if="page.state === 'open'" size="small" @click="closing = page">Withdraw…</v-btn>
          </template>
          <v-btn v-else size="small" @click="settlePage(page, false)">Open it again</v-btn>
        </span>
      </header>
      <p class="quiet">{{ page.email || 'No address that is in use: no code reaches them.' }}</p>
      <template v-if="page.uploads.length">
        <h3>Came from them</h3>
        <ul>
          <li v-for="each in page.uploads" :key="each.id">
            <span class="what edge-received">
              <button
                v-if="each.state === 'waiting' && may"
                type="button"
                class="link"
                @click="looking = each"
              >
                {{ each.filename }}
              </button>
              <template v-else>{{ each.filename }}</template>
              <span class="quiet"> {{ each.wanted ? `as “${each.wanted}”, ` : '' }}{{ full(each.at) }}</span>
            </span>
            <span :class="{ ochre: each.state === 'waiting' }">{{
              each.state === 'waiting' ? 'to be looked at' : each.state
            }}</span>
            <FileTab
              class="file"
              :state="each.state === 'taken in' ? 'logged' : 'suggested'"
              :label="each.file.number"
            />
            <v-btn v-if="each.state === 'waiting' && may" size="small" @click="looking = each"
              >Look at it</v-btn
            >
            <span v-else />
          </li>
        </ul>
      </template>
      <template v-if="page.wanted.length">
        <h3>Asked for</h3>
        <ul>
          <li v-for="each in page.wanted" :key="each.id" :class="{ over: each.state === 'wanted no more' }">
            <span class="what"
              >{{ each.name }}<span v-if="each.note" class="quiet below">{{ each.note }}</span></span
            >
            <span :class="{ needs: each.late, quiet: !each.late }"
              >{{ wantedWords(each) }}{{ each.late ? ', late' : '' }}</span
            >
            <FileTab class="file" state="logged" :label="each.file.number" />
            <span v-if="may" class="links">
              <template v-if="each.state === 'wanted'">
                <button
                  type="button"
                  class="link"
                  :aria-label="`${each.name} came otherwise`"
                  @click="tick(each, 'came')"
                >
                  came otherwise
                </button>
                <button
                  type="button"
                  class="link"
                  :aria-label="`${each.name} is wanted no more`"
                  @click="tick(each, 'wanted no more')"
                >
                  no more
                </button>
              </template>
              <button
                v-else-if="each.state !== 'to look at'"
                type="button"
                class="link"
                :aria-label="`Ask for ${each.name} again`"
                @click="tick(each, 'wanted')"
              >
                ask again
              </button>
            </span>
          </li>
        </ul>
      </template>
      <template v-if="page.items.length">
        <h3>Laid out</h3>
        <ul>
          <li v-for="each in page.items" :key="each.id" :class="{ over: each.state !== 'lies there' }">
            <span class="what edge-sent"
              >{{ each.filename }}
              <span class="quiet">
                {{ each.version > 1 ? `version ${each.version}, ` : '' }}{{ day(each.laidAt)
                }}{{ each.by ? ` by ${each.by}` : '' }}</span
              ></span
            >
            <span class="quiet">{{ itemWords(each) }}</span>
            <FileTab class="file" state="logged" :label="each.file.number" />
            <span v-if="may" class="links">
              <button
                v-if="each.state === 'lies there'"
                type="button"
                class="link"
                :aria-label="`Take ${each.filename} off their page`"
                @click="withdraw(each, true)"
              >
                take off
              </button>
              <button
                v-else-if="each.state === 'withdrawn'"
                type="button"
                class="link"
                :aria-label="`Put ${each.filename} back on their page`"
                @click="withdraw(each, false)"
              >
                put back
              </button>
            </span>
          </li>
        </ul>
      </template>
      <p v-if="!page.items.length && !page.wanted.length && !page.uploads.length" class="quiet empty">
        Nothing lies here. Lay something out from <em>Documents</em>, or ask for something.
      </p>
    </article>
    <AskForDialog
      v-if="asking !== null && data"
      :client-id="clientId"
      :pages="data"
      :person-id="asking"
      :file-id="fileId"
      @close="asking = null"
      @done="said"
    />
    <UploadDialog v-if="looking" :upload="looking" @close="looking = null" @done="said" />
    <AskDialog
      v-if="link"
      :model-value="true"
      :label="`The link for ${link.name}`"
      :max-width="620"
      @update:model-value="((link = null), (copied = false))"
    >
      <p class="mb-2">
        It opens their page together with a code, which goes to their own address. It serves until
        {{ dayWords(link.until) }}.
      </p>
      <v-text-field :model-value="link.url" label="Link" readonly />
      <p v-if="copied" class="quiet mt-1" role="status">Copied.</p>
      <template #answers>
        <v-btn @click="((link = null), (copied = false))">Close</v-btn>
        <v-btn color="primary" variant="flat" @click="copy">Copy it</v-btn>
      </template>
    </AskDialog>
    <AskDialog
      v-if="closing"
      :model-value="true"
      label="Withdraw the page"
      @update:model-value="closing = null"
    >
      <p>
        No link that was ever sent opens the page of {{ closing.name }} then, and whoever reads it now is out.
        What lies there stays, and is seen again when the page is opened again; new links have to be sent for
        that.
      </p>
      <template #answers>
        <v-btn @click="closing = null">Not now</v-btn>
        <v-btn color="error" variant="flat" @click="closing && settlePage(closing, true)">Withdraw it</v-btn>
      </template>
    </AskDialog>
  </section>
</template>

<style scoped>
.pages {
  overflow: auto;
  min-height: 0;
}
.page {
  padding: 12px 14px;
  margin-bottom: 12px;
}
.note,
.none {
  padding: 12px 14px;
  margin-bottom: 10px;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: baseline;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-left: auto;
}
h3 {
  margin: 12px 0 2px;
  font: 700 13px/1.4 var(--sans);
  color: var(--ink-soft);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr) auto 124px;
  gap: 4px 12px;
  align-items: center;
  padding: 5px 0;
  border-top: 1px solid var(--hairline);
}
.what {
  overflow-wrap: anywhere;
}
.what.edge-received {
  padding-left: 8px;
}
.what.edge-sent {
  padding-right: 8px;
}
.over .what {
  color: var(--ink-soft);
}
.file {
  justify-self: start;
}
.below {
  display: block;
}
.links .link {
  min-height: 24px;
}
.links {
  display: flex;
  flex-direction: column;
}
.ochre {
  color: var(--ochre);
}
.empty {
  padding: 8px 0 2px;
}
@media (max-width: 1000px) {
  li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
}
</style>
