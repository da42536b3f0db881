<script setup lang="ts">
import { computed, ref } from 'vue';
import { useMailList } from './mailList.ts';
import AskDialog from '../ui/AskDialog.vue';

/** Which mailboxes and folders are shown. */
const post = useMailList();
const all = ref(false);
const words = ref('');
const found = computed(() =>
  post.boxes
    .filter((box) => !post.off.has(box.id))
    .map((box) => ({
      box,
      folders: box.folders
        .filter((folder) => folder.role !== 'drafts')
        .filter((folder) => folder.path.toLowerCase().includes(words.value.toLowerCase())),
    }))
    .filter((each) => each.folders.length),
);
const name = computed(() => {
  for (const box of post.boxes)
    for (const folder of box.folders) if (folder.id === post.folder) return `${box.name}: ${folder.path}`;
  return '';
});
function choose(id: number) {
  all.value = false;
  void post.show(() => {
    post.folder = id;
    post.thrown = false;
    post.view = 'everything';
  });
}
function together(thrown: boolean) {
  void post.show(() => {
    post.folder = null;
    post.thrown = thrown;
    post.view = 'everything';
  });
}
</script>

<template>
  <aside class="side">
    <h2 id="boxes" class="group">Mailboxes shown</h2>
    <ul aria-labelledby="boxes">
      <li v-for="box in post.boxes" :key="box.id">
        <label class="box" :title="[box.address, box.trouble].filter(Boolean).join(': ')">
          <input type="checkbox" :checked="!post.off.has(box.id)" @change="post.switchBox(box.id)" />
          <span class="cut"
            >{{ box.name }}<span v-if="box.trouble" class="needs"> not in step</span
            ><span v-else-if="!box.verified" class="needs"> not verified</span></span
          >
          <span class="figures quiet" :aria-label="`${box.unread} unread`">{{ box.unread }}</span>
        </label>
      </li>
    </ul>
    <p v-if="!post.boxes.length && post.loaded" class="quiet">
      You may not look into any mailbox yet. <router-link to="/mailboxes">Connect yours</router-link>
    </p>
    <h2 id="folders" class="group">Folders</h2>
    <ul aria-labelledby="folders">
      <li>
        <button
          type="button"
          class="plain folder"
          :class="{ on: !post.folder && !post.thrown }"
          @click="together(false)"
        >
          In and out together
        </button>
      </li>
      <li><router-link class="folder" to="/writing">Drafts and kept for later</router-link></li>
      <li>
        <button type="button" class="plain folder" :class="{ on: post.thrown }" @click="together(true)">
          Thrown away
        </button>
      </li>
      <li v-if="name">
        <span class="folder on cut" :title="name">{{ name }}</span>
      </li>
      <li>
        <button type="button" class="plain folder" @click="all = true">All folders…</button>
      </li>
    </ul>
    <AskDialog v-model="all" label="All folders">
      <v-text-field v-model="words" v-first data-find label="Part of its name" class="mb-2" />
      <div class="list">
        <div v-for="each in found" :key="each.box.id" class="mb-3">
          <h3 class="quiet">{{ each.box.name }}</h3>
          <button
            v-for="folder in each.folders"
            :key="folder.id"
            type="button"
            class="plain choice"
            @click="choose(folder.id)"
          >
            {{ folder.path }}
          </button>
        </div>
        <p v-if="!found.length" class="quiet">No folder of that name.</p>
      </div>

      <template #answers><v-btn @click="all = false">Close</v-btn></template>
    </AskDialog>
  </aside>
</template>

<style scoped>
.side {
  overflow: auto;
}
.group {
  font: 600 12px/1 var(--sans);
  color: var(--ink-soft);
  margin: 4px 0 8px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0 0 22px;
}
.box {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: center;
  padding: 4px 4px 4px 0;
  cursor: pointer;
}
.box input {
  accent-color: var(--spruce);
  width: 14px;
  height: 14px;
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.folder {
  display: block;
  padding: 4px 0;
  color: var(--ink);
  text-decoration: none;
}
.folder.on {
  font-weight: 700;
}
.folder:hover {
  text-decoration: underline;
}
.list {
  max-height: 52vh;
  overflow: auto;
}
.choice {
  display: block;
  width: 100%;
  padding: 6px 8px;
  border-bottom: 1px solid var(--hairline);
}
.choice:hover {
  background: var(--page);
}
</style>
