<script setup lang="ts">
import { computed, type Component } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { Beginning, type ListName } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { many } from '../words.ts';
import FramePart from './FramePart.vue';
import FirmPart from './FirmPart.vue';
import HoursPart from './HoursPart.vue';
import MailPart from './MailPart.vue';
import NumbersPart from './NumbersPart.vue';
import { PARTS, type SettingsPart } from './parts.ts';
import PaperPart from './PaperPart.vue';
import RemindersPart from './RemindersPart.vue';
import WaysPart from './WaysPart.vue';
import TextsPart from './TextsPart.vue';
import SignInPart from './SignInPart.vue';
import StaffPart from './StaffPart.vue';
import ListPart from './ListPart.vue';
import FieldsPart from './FieldsPart.vue';

const SHOWN: Record<string, Component> = {
  firm: FirmPart,
  hours: HoursPart,
  numbers: NumbersPart,
  stages: ListPart,
  services: ListPart,
  interests: ListPart,
  tags: ListPart,
  topics: ListPart,
  documents: ListPart,
  frame: FramePart,
  paper: PaperPart,
  ways: WaysPart,
  reminders: RemindersPart,
  fields: FieldsPart,
  staff: StaffPart,
  mail: MailPart,
  texts: TextsPart,
  door: SignInPart,
};

/** What each of the office's lists is of. */
const LISTS: Record<string, { list: ListName; one: string; borneBy: string; usual?: readonly string[] }> = {
  stages: {
    list: 'stage',
    one: 'Stage',
    borneBy: 'file',
    usual: ['Enquiry', 'Instructed', 'In hand', 'With the client', 'Done'],
  },
  services: { list: 'service', one: 'Service', borneBy: 'client' },
  interests: { list: 'interest', one: 'Interest', borneBy: 'client' },
  tags: { list: 'tag', one: 'Tag', borneBy: 'client' },
  topics: { list: 'topic', one: 'Topic', borneBy: 'address' },
  documents: {
    list: 'document_kind',
    one: 'Kind',
    borneBy: 'document',
    usual: ['Agreement', 'Map', 'Photograph', 'Report'],
  },
};

/** Everything that differs between two firms; a firm that begins is led through what it is asked for. */
const route = useRoute();
const router = useRouter();
const {
  data: beginning,
  problem,
  load,
} = useLoad(Beginning, () => '/office/beginning', { concerns: { records: true, mailboxes: true } });
const part = computed(
  () => PARTS.find(({ key }) => key === route.params.part && SHOWN[key]) ?? (PARTS[0] as SettingsPart),
);
const missing = computed(() =>
  beginning.value && !beginning.value.over
    ? PARTS.filter(
        ({ begins }) => begins && beginning.value?.parts.some((each) => each.key === begins && !each.done),
      )
    : [],
);
const isMissing = (each: SettingsPart) => missing.value.includes(each);
/** What comes after this page of what is still to be seen to, round to the first. */
const next = computed(() => {
  const at = PARTS.indexOf(part.value);
  return [...PARTS.slice(at + 1), ...PARTS.slice(0, at)].find(isMissing);
});
async function settle(key: string) {
  try {
    beginning.value = await send('PUT', Beginning, '/office/beginning', { part: key });
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function asItIs() {
  const to = next.value;
  await settle(part.value.begins ?? '');
  if (to) await router.push(to.path);
}
</script>

<template>
  <div class="screen">
    <h1>Settings</h1>
    <p v-if="missing.length" class="quiet">
      {{ many(missing.length, 'part') }} of the beginning {{ missing.length === 1 ? 'is' : 'are' }} still to
      be seen to. Each can wait; Today keeps reminding you.
      <button type="button" class="link" @click="settle('over')">The rest is not needed</button>
    </p>
    <Trouble :words="problem" :retry="load" />
    <div class="pages">
      <nav aria-label="Settings" class="index">
        <router-link
          v-for="each in PARTS"
          :key="each.key"
          :to="each.path"
          class="entry"
          :class="{ on: each === part }"
          :aria-current="each === part ? 'page' : undefined"
        >
          {{ each.title }}
          <span v-if="isMissing(each)" class="todo">to do</span>
        </router-link>
      </nav>
      <section class="sheet page" :aria-label="part.title">
        <h2>{{ part.title }}</h2>
        <p v-if="part.why" class="quiet mb-4">{{ part.why }}</p>
        <component :is="SHOWN[part.key]" :key="part.key" v-bind="LISTS[part.key]" @kept="load" />
        <p v-if="isMissing(part) || next" class="onward">
          <button v-if="isMissing(part)" type="button" class="link" @click="asItIs">
            It can stay as it is
          </button>
          <router-link v-if="next" class="next" :to="next.path"
            >Next: {{ next.title.toLowerCase() }}</router-link
          >
        </p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.pages {
  display: grid;
  grid-template-columns: 190px minmax(0, 760px);
  gap: 24px;
  margin-top: 16px;
  align-items: start;
}
.index {
  display: flex;
  flex-direction: column;
  border-top: 1px solid var(--strong);
}
.entry {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 7px 8px;
  border-bottom: 1px solid var(--hairline);
  border-left: 4px solid transparent;
  color: var(--ink);
  text-decoration: none;
}
.entry:hover {
  background: var(--sheet);
}
.entry.on {
  border-left-color: var(--spruce);
  background: var(--sheet);
  font-weight: 700;
}
.todo {
  color: var(--ochre);
  font-weight: 600;
  font-size: 13px;
}
.page {
  padding: 20px 24px;
}
h2 {
  margin-bottom: 4px;
}
.next {
  margin-left: auto;
}
.onward {
  display: flex;
  justify-content: space-between;
  margin-top: 18px;
  padding-top: 10px;
  border-top: 1px solid var(--hairline);
}
@media (max-width: 1000px) {
  .pages {
    grid-template-columns: 140px minmax(0, 1fr);
    gap: 14px;
  }
}
</style>
