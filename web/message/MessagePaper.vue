<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { MessageView } from '../../contract/index.ts';
import { lookOf } from '../../core/documents/look.ts';
import LookDialog from '../documents/LookDialog.vue';
import { many, size, useTimes } from '../words.ts';
import Invitations from '../timeline/Invitations.vue';
import SenderNotes from './SenderNotes.vue';

/** A message laid out to be read: who, when, the words, what was quoted, what came with it. */
const props = defineProps<{ message: MessageView; heading?: 'h2' | 'h3' }>();
defineEmits<{ whole: [id: number]; changed: [] }>();
const { full } = useTimes();
const showQuoted = ref(false);
const asSent = ref(false);
const pictures = ref(false);
watch(
  () => props.message.id,
  () => {
    showQuoted.value = false;
    asSent.value = false;
    pictures.value = false;
    looked.value = null;
  },
);
/** The enclosure that is looked at. */
const looked = ref<MessageView['enclosures'][number] | null>(null);
const looking = computed({
  get: () => looked.value !== null,
  set: (open) => {
    if (!open) looked.value = null;
  },
});
const invites = computed(() =>
  props.message.enclosures.some(({ mimeType }) => mimeType.toLowerCase() === 'text/calendar'),
);
const from = computed(() => props.message.parties.find((party) => party.role === 'from'));
const others = (role: string) =>
  props.message.parties.filter((party) => party.role === role).map((party) => party.name || party.email);
const addressed = computed(() =>
  (['to', 'cc', 'bcc'] as const)
    .filter((role) => others(role).length)
    .map((role) => `${role} ${others(role).join(', ')}`)
    .join('; '),
);
const came = computed(
  () => ({ received: 'Received', sent: 'Sent', internal: 'Between ourselves' })[props.message.direction],
);
const by = computed(() =>
  props.message.mailboxes.length ? `by ${props.message.mailboxes.join(' and ')}, ` : '',
);
</script>

<template>
  <article class="paper" :class="message.direction === 'received' ? 'from-outside' : 'from-us'">
    <header>
      <component :is="heading ?? 'h2'">{{ message.subject || '(no subject)' }}</component>
      <p class="quiet">
        <strong :class="message.direction">{{ came }}</strong> {{ by }}{{ full(message.at) }}
      </p>
      <p class="mt-3">
        <strong>{{ from?.name || from?.email || 'nobody named' }}</strong>
        <span v-if="from?.name">&lt;{{ from.email }}&gt;</span>
      </p>
      <p class="quiet">{{ addressed }}</p>
    </header>
    <SenderNotes :message="message" @whole="$emit('whole', $event)" @changed="$emit('changed')" />
    <Invitations v-if="invites" :message-id="message.id" :files="message.files" />
    <div v-if="message.hasHtml" class="how">
      <button class="link" type="button" @click="asSent = !asSent">
        {{ asSent ? 'Only the words' : 'Show it as it was sent' }}
      </button>
      <button
        v-if="asSent && message.hasRemotePictures && !pictures"
        class="link"
        type="button"
        @click="pictures = true"
      >
        Fetch its pictures from outside
      </button>
    </div>
    <iframe
      v-if="asSent"
      class="frame"
      :src="`/api/messages/${message.id}/page?pictures=${pictures ? 1 : 0}`"
      sandbox="allow-popups allow-popups-to-escape-sandbox"
      title="The message as it was sent"
      tabindex="0"
    />
    <template v-else>
      <div class="words">{{ message.own || '(nothing written)' }}</div>
      <template v-if="message.quotedLines">
        <button v-if="!showQuoted" class="plain quiet quoted-mark" type="button" @click="showQuoted = true">
          … {{ many(message.quotedLines, 'earlier line') }}, quoted
        </button>
        <div v-else class="words quoted">{{ message.quoted }}</div>
      </template>
    </template>
    <ul v-if="message.enclosures.length" class="enclosures" aria-label="Enclosures">
      <li v-for="enclosure in message.enclosures" :key="enclosure.index">
        <button
          v-if="lookOf(enclosure.mimeType, enclosure.filename)"
          type="button"
          class="plain enclosure"
          title="Look at it here"
          @click="looked = enclosure"
        >
          {{ enclosure.filename }} <span class="figures">{{ size(enclosure.size) }}</span>
        </button>
        <a
          v-else
          :href="`/api/messages/${message.id}/enclosures/${enclosure.index}`"
          class="enclosure"
          download
          >{{ enclosure.filename }} <span class="figures">{{ size(enclosure.size) }}</span></a
        >
      </li>
    </ul>
    <LookDialog
      v-if="looked"
      v-model="looking"
      :filename="looked.filename"
      :page="`/messages/${message.id}/enclosures/${looked.index}/page`"
      :content="`/messages/${message.id}/enclosures/${looked.index}`"
      :look="lookOf(looked.mimeType, looked.filename)"
    />
  </article>
</template>

<style scoped>
.paper {
  padding: 14px 20px 18px 22px;
  min-height: 100%;
  box-sizing: border-box;
  display: flex;
  flex-direction: column;
}
.from-outside {
  border-left: 4px double var(--indigo);
}
.from-us {
  border-right: 4px double var(--spruce);
}
header {
  border-bottom: 1px solid var(--hairline);
  padding-bottom: 12px;
  margin-bottom: 14px;
  overflow-wrap: anywhere;
}
strong.received {
  color: var(--indigo);
}
strong.sent,
strong.internal {
  color: var(--spruce);
}
.words {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 15px;
  line-height: 1.55;
  max-width: 68ch;
}
.quoted {
  color: var(--ink-soft);
  margin-top: 12px;
  border-left: 2px solid var(--hairline);
  padding-left: 10px;
}
.quoted-mark {
  margin-top: 12px;
}
.how {
  display: flex;
  gap: 16px;
  margin-bottom: 10px;
  font-size: 13px;
}
.frame {
  border: 1px solid var(--hairline);
  width: 100%;
  flex: 1;
  min-height: 320px;
  background: var(--sheet);
}
.enclosures {
  list-style: none;
  padding: 0;
  margin: 16px 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.enclosure {
  display: inline-block;
  border: 1px solid var(--strong);
  border-radius: 2px;
  padding: 4px 8px;
  color: var(--ink);
  text-decoration: none;
  font-size: 13px;
}
.enclosure:hover {
  border-color: var(--spruce);
}
</style>
