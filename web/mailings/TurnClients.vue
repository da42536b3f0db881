<script setup lang="ts">
import KeyCap from '../parts/KeyCap.vue';

/** From one recipient's copy to the next. */
defineProps<{ at: number; of: number }>();
defineEmits<{ before: []; next: [] }>();
</script>

<template>
  <div class="turn">
    <v-btn :disabled="at === 0" aria-label="The client before" @click="$emit('before')"
      ><KeyCap letter="←"
    /></v-btn>
    <span class="figures" role="status">{{ at + 1 }} of {{ of.toLocaleString('en-GB') }}</span>
    <v-btn :disabled="at >= of - 1" aria-label="The next client" @click="$emit('next')"
      ><KeyCap letter="→"
    /></v-btn>
  </div>
</template>

<style scoped>
.turn {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
</style>
