<script setup lang="ts">
import { computed } from 'vue';
import { many } from '../words.ts';
import { useMailList } from './mailList.ts';

/** What to do with the ticked messages. */
defineEmits<{ move: []; find: []; throw: [] }>();
const post = useMailList();
const rows = computed(() => post.rows.filter((row) => post.chosen.includes(row.id)));
const anyUnread = computed(() => rows.value.some((row) => row.unread));
const anyPlain = computed(() => rows.value.some((row) => !row.starred));
</script>

<template>
  <div class="bar" role="toolbar" aria-label="What to do with the ticked messages">
    <strong class="figures">{{ many(post.ticked.size, 'message') }} ticked</strong>
    <v-btn size="small" @click="post.mark('read', post.chosen, anyUnread)">{{
      anyUnread ? 'Read' : 'Unread'
    }}</v-btn>
    <v-btn size="small" @click="post.mark('star', post.chosen, anyPlain)">{{
      anyPlain ? 'Star' : 'No star'
    }}</v-btn>
    <v-btn size="small" @click="$emit('move')">Move…</v-btn>
    <v-btn size="small" @click="$emit('find')">File…</v-btn>
    <v-btn size="small" @click="post.file(post.chosen, { kind: 'aside' })">Not client mail</v-btn>
    <v-btn
      v-if="post.ticked.size > 1"
      size="small"
      title="Make them one conversation"
      @click="post.gather(post.chosen)"
      >One conversation</v-btn
    >
    <v-btn size="small" @click="$emit('throw')">Throw away</v-btn>
    <v-spacer />
    <button type="button" class="link" @click="post.ticked = new Set()">Untick all</button>
  </div>
</template>
