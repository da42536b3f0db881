<script setup lang="ts">
import { computed } from 'vue';
import Trouble from '../parts/Trouble.vue';
import { asLines, FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

const { record, firm } = useFirm(['personalFolders', 'freemail']);
const { form, errorOf } = record;
const { problem, load } = firm;
const lines = (field: 'personalFolders' | 'freemail') =>
  computed({
    get: () => asLines.read(form[field]),
    set: (text: string) => {
      form[field] = asLines.write(text);
    },
  });
const folders = lines('personalFolders');
const freemail = lines('freemail');
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <div class="two">
    <div>
      <v-textarea
        v-model="folders"
        label="Personal folders, one a line"
        rows="6"
        :error-messages="errorOf('personalFolders')"
      />
      <p class="quiet mt-1">
        Mail folders of these names, and what lies in them, are their owner’s alone: never opened, in nobody’s
        mailbox.
      </p>
    </div>
    <div>
      <v-textarea
        v-model="freemail"
        label="Further freemail domains, one a line"
        rows="6"
        :error-messages="errorOf('freemail')"
      />
      <p class="quiet mt-1">
        Where anybody can have an address: two people there have nothing to do with each other. The common
        ones are known.
      </p>
    </div>
  </div>
  <KeepBar :record="record" :labels="FIRM_LABELS" />
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
}
</style>
