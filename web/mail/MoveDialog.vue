<script setup lang="ts">
import { computed } from 'vue';
import AskDialog from '../ui/AskDialog.vue';
import { many } from '../words.ts';
import { useMailList } from './mailList.ts';

/** Asks into which folder the chosen messages go. */
const open = defineModel<boolean>({ required: true });
const post = useMailList();
const targets = computed(() => {
  const rows = post.rows.filter((row) => post.chosen.includes(row.id));
  const within = new Set(rows.flatMap((row) => row.boxes));
  return post.boxes
    .filter((box) => box.mayWrite && within.has(box.id))
    .map((box) => ({
      box,
      folders: box.folders.filter((folder) => !['drafts', 'sent'].includes(folder.role)),
    }));
});
function moveTo(folderId: number, name: string) {
  open.value = false;
  void post.take({ kind: 'move', folderId }, post.chosen, `Moved to ${name}`);
}
</script>

<template>
  <AskDialog v-model="open" label="Move to a folder">
    <template #heading>Move {{ many(post.chosen.length, 'message') }}</template>
    <p v-if="!targets.length" class="quiet">These lie in mailboxes in which you may only read.</p>
    <div v-for="each in targets" :key="each.box.id" class="mb-2">
      <h3 class="quiet">{{ each.box.name }}</h3>
      <div class="folders">
        <v-btn
          v-for="folder in each.folders"
          :key="folder.id"
          size="small"
          @click="moveTo(folder.id, folder.path)"
          >{{ folder.path }}</v-btn
        >
      </div>
    </div>
    <template #answers><v-btn @click="open = false">Leave them</v-btn></template>
  </AskDialog>
</template>

<style scoped>
.folders {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  max-height: 300px;
  overflow: auto;
}
</style>
