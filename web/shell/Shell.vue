<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core';
import { computed, onUnmounted, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { Topic } from '../../contract/index.ts';
import { SCREENS, screenPath, type RailCount } from '../screens.ts';
import { useSession } from '../session.ts';
import { closeLive, openLive, useLive } from '../ui/live.ts';
import { many, useTimes } from '../words.ts';
import Account from './Account.vue';
import Finder from './Finder.vue';

const MINUTE = 60_000;
const session = useSession();
const router = useRouter();
const { ago } = useTimes();
const counts = computed(() => session.counts);
const account = ref(false);
const countOf = (count: RailCount | undefined) =>
  count === 'mailboxes' ? counts.value?.mailboxes.total : count && counts.value?.[count];
const groups = computed(() => {
  const links = SCREENS.flatMap(({ path, title, rail, right }) =>
    rail && (!right || session.may(right))
      ? [{ to: screenPath(path), words: title, ...rail, count: countOf(rail.count) }]
      : [],
  );
  return [...new Set(links.map(({ group }) => group))].map((name) => ({
    name,
    links: links.filter(({ group }) => group === name),
  }));
});
const initials = computed(() =>
  (session.session?.staff.name ?? '')
    .split(' ')
    .map((word) => word[0])
    .join('')
    .slice(0, 2),
);
const health = computed(() => {
  const boxes = counts.value?.mailboxes;
  if (!boxes) return { bold: '', rest: '' };
  if (boxes.failing)
    return { bold: many(boxes.failing, 'mailbox', 'mailboxes'), rest: 'in trouble', needs: true };
  if (boxes.filling) return { bold: many(boxes.filling, 'mailbox', 'mailboxes'), rest: 'being taken in' };
  return {
    bold: many(boxes.inStep, 'mailbox', 'mailboxes'),
    rest: boxes.inStepAt ? `in step, ${ago(boxes.inStepAt)}` : 'in step',
  };
});

/** Which counts a change may have made others. */
const COUNTED: Partial<Record<Topic, readonly RailCount[]>> = {
  sorting: ['sorting'],
  mail: ['unread'],
  mailings: ['mailings', 'dispatch'],
  drafts: ['dispatch', 'orders'],
  orders: ['orders'],
  tasks: ['tasks'],
  texts: ['texts'],
  collection: ['collection'],
  mailboxes: ['mailboxes'],
  records: ['clients'],
};
const count = (of?: readonly RailCount[]): void => void session.count(of).catch(() => undefined);
openLive();
count();
useLive(
  {
    ...{ sorting: true, mail: true, mailings: true, drafts: true, mailboxes: true, records: true },
    ...{ orders: true, tasks: true, texts: true, collection: true },
  },
  (changes) => count([...new Set(changes.flatMap(({ topic }) => COUNTED[topic] ?? []))]),
  1000,
);
// Of mailboxes at rest nothing is told; how long ago they were looked into is asked now and then.
useIntervalFn(() => count(), MINUTE);
onUnmounted(closeLive);

async function signOut() {
  await session.signOut();
  await router.push('/sign-in');
}
</script>

<template>
  <div class="shell">
    <header class="top">
      <router-link to="/" class="name">Patient Clerk</router-link>
      <Finder />
      <router-link to="/write" class="write">Write</router-link>
      <router-link v-if="health.bold" to="/mailboxes" class="health" :class="{ needs: health.needs }"
        ><strong>{{ health.bold }}</strong> {{ health.rest }}</router-link
      >
      <v-menu location="bottom end">
        <template #activator="{ props }">
          <button v-bind="props" class="plain who" type="button">
            <span class="initials" aria-hidden="true">{{ initials }}</span><span class="who-name">{{
              session.session?.staff.name
            }}</span>
          </button>
        </template>
        <v-list density="compact" border rounded="sm" elevation="0">
          <v-list-item :title="session.session?.firm.name" :subtitle="session.session?.staff.email" />
          <v-list-item title="Your account" @click="account = true" />
          <v-list-item title="Sign out" @click="signOut" />
        </v-list>
      </v-menu>
    </header>
    <nav class="rail" aria-label="Screens">
      <div v-for="group in groups" :key="group.name" class="group">
        <div class="group-name">{{ group.name }}</div>
        <router-link
          v-for="link in group.links"
          :key="link.to"
          :to="link.to"
          class="rail-link"
          :class="{
            on:
              link.to === '/'
                ? ['today', 'returned'].includes(String($route.name))
                : $route.path === link.to || $route.path.startsWith(`${link.to}/`),
          }"
          :aria-current="$route.path === link.to ? 'page' : undefined"
        >
          <span>{{ link.words }}</span>
          <span v-if="link.count" class="figures" :class="{ needs: link.needs }">{{
            link.count.toLocaleString('en-GB')
          }}</span>
        </router-link>
      </div>
    </nav>
    <Account v-model="account" />
    <main class="main">
      <router-view :key="$route.name === 'mailing' ? `mailing ${String($route.params.id)}` : $route.path" />
    </main>
  </div>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template: 52px 1fr / 188px minmax(0, 1fr);
  height: 100vh;
}
.top {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 18px 0 0;
  background: var(--sheet);
  border-bottom: 1px solid var(--strong);
}
/* What follows the search and Write stands at the right: the mailboxes' health, or the person while that is not known. */
.top > :nth-child(4) {
  margin-left: auto;
}
.write {
  font-weight: 600;
}
.name {
  width: 170px;
  padding-left: 18px;
  font: 600 18px/1 var(--serif);
  color: var(--ink);
  text-decoration: none;
}
.health {
  color: var(--ink-soft);
  font-size: 13px;
  text-decoration: none;
  white-space: nowrap;
}
.health strong {
  color: var(--spruce);
}
.health.needs,
.health.needs strong {
  color: var(--brick);
}
.who {
  display: flex;
  align-items: center;
  gap: 8px;
  white-space: nowrap;
}
.initials {
  display: grid;
  place-items: center;
  width: 26px;
  height: 26px;
  background: var(--spruce);
  color: #fff;
  font: 700 11px/1 var(--sans);
  border-radius: 2px;
}
.rail {
  background: var(--rail);
  border-right: 1px solid var(--strong);
  padding: 14px 0;
  overflow: auto;
}
.group {
  margin-bottom: 12px;
}
.group-name {
  padding: 4px 16px;
  font-size: 12px;
  font-weight: 600;
  color: var(--ink-soft);
}
.rail-link {
  display: flex;
  justify-content: space-between;
  padding: 5px 16px;
  border-left: 4px solid transparent;
  color: var(--ink);
  text-decoration: none;
}
.rail-link:hover {
  background: #f3eee3;
}
.rail-link.on {
  background: var(--sheet);
  border-left-color: var(--spruce);
  font-weight: 700;
  box-shadow:
    0 1px var(--hairline),
    0 -1px var(--hairline);
}
.rail-link .needs {
  font-weight: 700;
}
.main {
  min-height: 0;
  min-width: 0;
  overflow: hidden;
}
@media (max-width: 1000px) {
  .shell {
    grid-template-columns: 132px minmax(0, 1fr);
  }
  .name {
    width: 132px;
    padding-left: 14px;
    font-size: 16px;
  }
  .who-name {
    display: none;
  }
}
</style>
