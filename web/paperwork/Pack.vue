<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import { Count, PackView, type PackView as Pack } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Look from '../documents/Look.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** A print pack: the PDF to be printed, and its pieces ticked off as they are posted. */
const route = useRoute();
const id = Number(route.params.id);
const session = useSession();
const may = computed(() => session.may('prepare paperwork'));
const { full, brief } = useTimes();
const {
  data: pack,
  problem,
  load,
} = useLoad(PackView, () => `/paperwork/packs/${id}`, {
  concerns: { paperwork: true },
});
const open = computed(() => pack.value?.list.filter(({ printedAt }) => !printedAt) ?? []);
const failed = ref('');
const done = ref('');
async function tick(pieces: Pack['list'], posted: boolean) {
  try {
    const ids = pieces.map((piece) => piece.id);
    const { count } = await send('POST', Count, `/paperwork/packs/${id}/tick`, { ids, posted });
    done.value = posted
      ? `${many(count, 'piece')} printed and posted.`
      : `${many(count, 'piece')} will be in the next print pack.`;
    failed.value = '';
    await load();
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
</script>

<template>
  <div class="screen screen-fixed">
    <Trouble :words="problem || failed" :retry="load" class="mb-2" />
    <template v-if="pack">
      <header class="head">
        <div>
          <h1>Print pack {{ id }}</h1>
          <p class="quiet">
            {{ many(pack.pieces, 'piece') }} in envelope order{{
              pack.duplex ? ', printed on both sides' : ''
            }}; made {{ full(pack.madeAt) }} by {{ pack.by }}
          </p>
        </div>
        <span class="acts">
          <v-btn to="/paperwork">To the others</v-btn>
          <v-btn v-if="pack.state === 'made'" :href="`/api/paperwork/packs/${id}/content`" download
            >Save to print</v-btn
          >
          <v-btn
            v-if="may && open.length && pack.state === 'made'"
            color="primary"
            variant="flat"
            @click="tick(open, true)"
            >{{ open.length === pack.pieces ? 'All' : `The other ${open.length}` }} printed and posted</v-btn
          >
        </span>
      </header>
      <p v-if="done" class="said" role="status">{{ done }}</p>
      <div class="two">
        <div class="scroll sheet" tabindex="0" role="region" aria-label="Its pieces">
          <table class="ledger-table">
            <thead>
              <tr>
                <th class="right">No.</th>
                <th>Client</th>
                <th class="right">Pages</th>
                <th>Posted</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="piece in pack.list" :key="piece.id">
                <td class="right figures">{{ piece.place }}</td>
                <td>
                  <router-link :to="`/clients/${piece.clientId}`">{{ piece.client }}</router-link><br /><span
                    class="quiet"
                    >{{ [piece.run, piece.postcode].filter(Boolean).join(' · ') }}</span
                  >
                </td>
                <td class="right figures">{{ piece.pages }}</td>
                <td>
                  <span v-if="piece.printedAt" class="good">{{ brief(piece.printedAt) }}</span>
                  <span v-if="may" class="ticks">
                    <button
                      v-if="!piece.printedAt"
                      type="button"
                      class="link"
                      :aria-label="`${piece.client}: printed and posted`"
                      @click="tick([piece], true)"
                    >
                      posted</button
                    ><button
                      type="button"
                      class="link"
                      :aria-label="`${piece.client}: print it again`"
                      @click="tick([piece], false)"
                    >
                      print again
                    </button>
                  </span>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="!pack.list.length" class="quiet none">All of it goes with another pack now.</p>
        </div>
        <Look
          v-if="pack.state === 'made'"
          :page="`/paperwork/packs/${id}`"
          :content="`/paperwork/packs/${id}/content`"
          look="pdf"
          :filename="`Print pack ${id}`"
        />
        <p v-else class="quiet none" role="status">
          {{
            pack.state === 'waiting'
              ? 'It is being put together …'
              : 'It could not be put together: one of its pieces is damaged. Send them to print again, some at a time.'
          }}
        </p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 8px 16px;
  margin-bottom: 12px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.said {
  padding: 4px 12px;
  margin-bottom: 8px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(300px, 460px) minmax(0, 1fr);
  gap: 18px;
}
.scroll {
  overflow: auto;
}
.ticks {
  display: flex;
  gap: 4px 16px;
}
.ticks button {
  min-height: 24px;
}
.good {
  color: var(--spruce);
}
.none {
  padding: 14px;
}
</style>
