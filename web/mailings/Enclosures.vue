<script setup lang="ts">
import { computed, ref } from 'vue';
import { z } from 'zod';
import { ListEntry, MailingEnclosure, OwnEnclosure } from '../../contract/index.ts';
import { act, upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { size } from '../words.ts';
import KeptDialog from '../writing/KeptDialog.vue';

/** What goes with every copy of a mailing. */
const props = defineProps<{ mailingId: number; colleagues: boolean }>();
/** On each one's own page instead. */
const laidOut = defineModel<boolean>('laidOut', { required: true });
const chooser = ref<HTMLInputElement | null>(null);
const busy = ref(false);
const {
  data: enclosures,
  problem,
  load,
} = useLoad(z.array(MailingEnclosure), () => `/mailings/${props.mailingId}/enclosures`, {
  concerns: { mailings: about('mailing', () => [props.mailingId]) },
});
async function attempt(work: () => Promise<unknown>) {
  busy.value = true;
  try {
    await work();
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
function chosen() {
  const files = [...(chooser.value?.files ?? [])];
  if (chooser.value) chooser.value.value = '';
  void attempt(async () => {
    for (const file of files)
      await upload(
        `/mailings/${props.mailingId}/enclosures`,
        { filename: file.name, type: file.type || 'application/octet-stream' },
        file,
      );
  });
}
/** Each client's own: the kinds of which their newest goes with their copy. */
const { data: kinds } = useLoad(z.array(ListEntry), () => '/documents/kinds', {
  concerns: { records: true },
});
const {
  data: own,
  problem: ownProblem,
  load: loadOwn,
} = useLoad(z.array(OwnEnclosure), () => `/mailings/${props.mailingId}/enclosures/own`, {
  concerns: { mailings: about('mailing', () => [props.mailingId]) },
});
const offered = computed(() =>
  (kinds.value ?? []).filter(({ id }) => !own.value?.some(({ kindId }) => kindId === id)),
);
async function sayOwn(next: readonly { kindId: number; needed: boolean }[]) {
  try {
    await act(
      'PUT',
      `/mailings/${props.mailingId}/enclosures/own`,
      next.map(({ kindId, needed }) => ({ kindId, needed })),
    );
    await loadOwn();
  } catch (error) {
    ownProblem.value = wordsOf(error);
  }
}
const choosing = ref(false);
const fromCupboard = (id: number) => {
  choosing.value = false;
  return attempt(() => act('POST', `/mailings/${props.mailingId}/enclosures/kept`, { wordingIds: [id] }));
};
const renew = (id: number) =>
  attempt(() => act('POST', `/mailings/${props.mailingId}/enclosures/${id}/renew`));
const takeOff = (id: number) => attempt(() => act('DELETE', `/mailings/${props.mailingId}/enclosures/${id}`));
</script>

<template>
  <h2 class="mt-6">Enclosed with every copy</h2>
  <Trouble :words="problem" :retry="load" class="mt-2" />
  <ul class="enclosures">
    <li v-for="each in enclosures ?? []" :key="each.id">
      <span class="name" :title="each.filename">{{ each.filename }}</span>
      <span class="quiet figures">{{ size(each.size) }}</span>
      <button
        v-if="each.newer"
        type="button"
        class="link needs"
        :aria-label="`Take the newer ${each.filename} from the cupboard`"
        title="A newer one lies in the cupboard"
        @click="renew(each.id)"
      >
        take the newer
      </button>
      <button type="button" class="link" :aria-label="`Take ${each.filename} off`" @click="takeOff(each.id)">
        take off
      </button>
    </li>
  </ul>
  <div class="ways mt-1">
    <v-btn size="small" :loading="busy" @click="chooser?.click()">Enclose a file…</v-btn>
    <v-btn size="small" :disabled="busy" @click="choosing = true">From the cupboard…</v-btn>
  </div>
  <template v-if="!colleagues">
    <h2 class="mt-6">Each client’s own</h2>
    <Trouble :words="ownProblem" :retry="loadOwn" class="mt-2" />
    <ul class="enclosures">
      <li v-for="each in own ?? []" :key="each.kindId" class="own">
        <span class="name">their newest {{ each.name }}</span>
        <button
          type="button"
          class="link"
          :aria-label="`Take ${each.name} off`"
          @click="sayOwn((own ?? []).filter((other) => other !== each))"
        >
          take off
        </button>
        <label
          ><input
            type="checkbox"
            :checked="each.needed"
            @change="
              sayOwn(
                (own ?? []).map((other) => (other === each ? { ...other, needed: !other.needed } : other)),
              )
            "
          />
          nobody without one</label
        >
      </li>
    </ul>
    <v-select
      v-if="offered.length"
      :model-value="null"
      :items="offered"
      item-title="name"
      item-value="id"
      label="Their newest of a kind…"
      density="compact"
      @update:model-value="
        (kindId: number | null) => kindId && sayOwn([...(own ?? []), { kindId, needed: true }])
      "
    />
    <p v-else-if="kinds && !kinds.length" class="quiet">
      Kinds of document are named under Settings; then each client’s newest of a kind can go with their copy.
    </p>
  </template>
  <v-checkbox
    v-if="!colleagues && (laidOut || enclosures?.length || own?.length)"
    v-model="laidOut"
    class="mt-2"
    label="laid out on each one’s own page instead of enclosed"
  />
  <p v-if="laidOut && !colleagues" class="quiet">
    The text leads there: by the fact “Link to their own page”, or by a line at its end.
  </p>
  <KeptDialog v-model="choosing" @choose="fromCupboard" />
  <input ref="chooser" type="file" multiple hidden aria-hidden="true" @change="chosen" />
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.enclosures {
  list-style: none;
  padding: 0;
  margin: 4px 0;
}
.enclosures li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
}
.own {
  flex-wrap: wrap;
}
.own label {
  flex-basis: 100%;
  font-size: 13px;
}
.own input {
  accent-color: var(--spruce);
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
