<script setup lang="ts">
import { computed } from 'vue';
/** Which rows of a list are shown, and the pages before and after. */
const props = defineProps<{ offset: number; limit: number; total: number; what: string }>();
const emit = defineEmits<{ move: [offset: number] }>();
const last = computed(() => Math.min(props.offset + props.limit, props.total));
</script>

<template>
  <nav class="pager" :aria-label="`Pages of ${what}`">
    <span class="figures quiet">
      {{
        total
          ? `${(offset + 1).toLocaleString('en-GB')} to ${last.toLocaleString('en-GB')} of ${total.toLocaleString('en-GB')} ${what}`
          : `No ${what}`
      }}
    </span>
    <template v-if="total > limit">
      <v-btn size="small" :disabled="offset === 0" @click="emit('move', Math.max(0, offset - limit))"
        >Earlier page</v-btn
      >
      <v-btn size="small" :disabled="last >= total" @click="emit('move', offset + limit)">Next page</v-btn>
    </template>
  </nav>
</template>

<style scoped>
.pager {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 8px 0 0;
}
.pager .quiet {
  flex: 1;
}
</style>
