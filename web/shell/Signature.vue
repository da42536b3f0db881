<script setup lang="ts">
import { SignatureView } from '../../contract/index.ts';
import { act } from '../api.ts';
import { useLoad } from '../ui/load.ts';
import { useRecord } from '../ui/record.ts';
import { ref } from 'vue';

/** The lines below everything one writes. */
const { data: own, problem } = useLoad(SignatureView, () => '/session/signature');
const said = ref('');
const record = useRecord(
  () => own.value && { signature: own.value.signature },
  { signature: '' },
  async ({ after }) => {
    await act('PUT', '/session/signature', after);
  },
);
const { form, errorOf } = record;
async function keep() {
  said.value = (await record.keep()) ? 'Kept.' : '';
}
</script>

<template>
  <form @submit.prevent="keep">
    <v-textarea
      v-model="form.signature"
      label="Your signature"
      rows="3"
      :placeholder="own?.usual"
      persistent-placeholder
      :error-messages="errorOf('signature')"
      @update:model-value="said = ''"
    />
    <p class="quiet mt-1">
      Left empty it is the lines shown in grey. The firm’s notice stands below it by itself.
    </p>
    <p v-if="problem || record.problem.value" class="needs" role="alert">
      {{ problem || record.problem.value }}
    </p>
    <div class="answers">
      <span class="quiet" role="status">{{ said }}</span>
      <v-btn type="submit" :disabled="!record.changed.value.length">Keep the signature</v-btn>
    </div>
  </form>
</template>
