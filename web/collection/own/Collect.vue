<script setup lang="ts">
import type { OwnPage } from '../../../contract/collection.ts';
import { address } from './ask.ts';
import { dayIn, dayOf, sizeOf } from './words.ts';

/** What lies there to be collected. */
defineProps<{ page: OwnPage }>();
const emit = defineEmits<{ changed: [] }>();
/** It is told as collected once the browser has begun to take it. */
const taken = () => setTimeout(() => emit('changed'), 1500);
</script>

<template>
  <section aria-labelledby="collect">
    <h2 id="collect">For you to collect</h2>
    <p v-if="!page.items.length">Nothing lies here for you at the moment.</p>
    <ul class="items">
      <li v-for="item in page.items" :key="item.id">
        <a :href="address(`/items/${item.id}`)" :download="item.filename" @click="taken">{{
          item.filename
        }}</a>
        <p v-if="item.about" class="small">{{ item.about }}</p>
        <p class="small">
          {{ sizeOf(item.size) }}, laid out on {{ dayIn(page.zone, item.laidAt)
          }}{{ item.version > 1 ? `, version ${item.version}: it takes the place of the one before` : '' }}.
          {{
            item.collectedAt
              ? `Collected on ${dayIn(page.zone, item.collectedAt)}.`
              : `It lies here until ${dayOf(item.until)}.`
          }}
        </p>
      </li>
    </ul>
  </section>
</template>
