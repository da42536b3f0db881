<script setup lang="ts">
import Trouble from '../parts/Trouble.vue';
import { useKeys } from '../ui/keys.ts';
import { usePreviews } from './previews.ts';
import TurnClients from './TurnClients.vue';

/** What is being written as a client will read it. */
const { checks, preview, at, problem, load, next, before } = usePreviews();
void load();
useKeys({ ArrowRight: next, ArrowLeft: before });
</script>

<template>
  <div class="as-read sheet">
    <Trouble :words="problem" :retry="load" class="ma-3" />
    <div v-if="checks && preview" class="head">
      <p>
        As <strong>{{ preview.client }}</strong> reads it: {{ preview.subject || '(no subject)' }}
      </p>
      <TurnClients :at="at" :of="checks.order.length" @before="before" @next="next" />
    </div>
    <p v-else-if="checks" class="quiet pa-5">Nobody would receive this yet. Choose recipients in step 1.</p>
    <iframe
      v-if="preview"
      class="frame"
      sandbox=""
      :srcdoc="preview.html"
      title="The message as this client will read it"
      tabindex="0"
    />
  </div>
</template>

<style scoped>
.as-read {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 16px;
  padding: 8px 16px;
  border-bottom: 1px solid var(--hairline);
}
.head > :last-child {
  flex: none;
  width: 240px;
}
.frame {
  flex: 1;
  border: 0;
  background: #fff;
}
</style>
