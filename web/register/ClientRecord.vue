<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import {
  FIELD_LABELS,
  ClientKind,
  ClientRecord,
  ClientStatus,
  ClientView,
  type ClientFields,
  type DeliveryKind,
} from '../../contract/index.ts';
import { countryName } from '../../core/address/country.ts';
import { send } from '../api.ts';
import KeepBar from '../office/KeepBar.vue';
import CountryField from '../parts/CountryField.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useKeys } from '../ui/keys.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { useRecord } from '../ui/record.ts';
import { list, useTimes } from '../words.ts';
import Facts from './Facts.vue';
import FeeNotes from './FeeNotes.vue';
import FileDialog from './FileDialog.vue';
import History from './History.vue';
import LinkField from './LinkField.vue';
import OwnFields from './OwnFields.vue';
import PersonDialog from './PersonDialog.vue';
import PhoneLines from './PhoneLines.vue';
import { labelsWith } from './recordDialog.ts';
import { DELIVERY_KINDS, DELIVERY_WAYS, useChoices } from './register.ts';
import Section from './Section.vue';

/** The whole record of a client: read first, changed in its place. */
const route = useRoute();
const session = useSession();
const { date } = useTimes();
const id = Number(route.params.id);
const may = computed(() => session.may('change the records'));
const concerns = { records: about('client', () => [id]) };
const { data: view, problem, load: readView } = useLoad(ClientView, () => `/clients/${id}`, { concerns });
const {
  data: known,
  problem: unread,
  load: readKnown,
} = useLoad(ClientRecord, () => `/clients/${id}/record`, { concerns });
const { choices, fieldsOf } = useChoices();
const fields = computed(() => fieldsOf('client'));

const EMPTY: ClientFields = {
  name: '',
  kind: 'person',
  status: 'active',
  since: null,
  service: null,
  place: '',
  postal: [],
  country: '',
  greeting: null,
  adviserId: null,
  note: '',
  tags: [],
  interests: [],
  phones: [],
  delivery: [],
  counted: true,
  people: [],
};
type Whole = ClientFields & Record<string, unknown>;
const record = useRecord<Whole>(
  () => known.value as Whole | null,
  { ...EMPTY },
  async (change) => {
    const made = await send('PUT', ClientRecord, `/clients/${id}`, change);
    known.value = made;
    return made as Whole;
  },
);
const { form, errorOf } = record;
const labels = computed(() => labelsWith(fields.value));
const changing = reactive({ client: false, written: false, marks: false, own: false, people: false });
type Part = keyof typeof changing;
const closeAll = () => {
  for (const part of Object.keys(changing) as Part[]) changing[part] = false;
};
async function kept() {
  closeAll();
  await readView();
}
watch(
  () => record.changed.value.length,
  (now, before) => {
    // What was typed is forgotten: what is read shows again.
    if (before && !now && !record.busy.value) closeAll();
  },
);
useKeys({ e: () => (changing.client = true) }, { unless: () => !may.value });

const postal = computed({
  get: () => form.postal.join('\n'),
  set: (text: string) => {
    form.postal = text.split('\n');
  },
});
const text = (field: 'greeting' | 'service') => ({
  get: () => form[field] ?? '',
  set: (words: string | null) => {
    form[field] = words?.trim() ? words : null;
  },
});
const greeting = computed(text('greeting'));
const since = computed({
  get: () => (form.since === null ? '' : String(form.since)),
  set: (words: string) => {
    form.since = words.trim() ? Number(words) : null;
  },
});
const phoneWords = (phones: readonly { number: string; purpose: string }[]) =>
  phones.map(({ number, purpose }) => (purpose ? `${number} (${purpose})` : number)).join('\n');
const nameOf = (personId: number | null) => view.value?.people.find((person) => person.id === personId)?.name;
const advisers = computed(
  () => choices.value?.advisers.map(({ id: value, name }) => ({ value, title: name })) ?? [],
);
const people = computed(
  () => view.value?.people.map(({ id: value, name, role }) => ({ value, title: name || role })) ?? [],
);
const ways = Object.entries(DELIVERY_WAYS).map(([value, title]) => ({ value, title }));
const deliveryWords = (kind: DeliveryKind) => {
  const line = form.delivery.find((each) => each.kind === kind);
  if (!line) return '';
  const to = [line.personId, line.alsoId].flatMap((id) =>
    id && line.way !== 'none' ? (nameOf(id) ?? []) : [],
  );
  return [DELIVERY_WAYS[line.way], to.length ? `to ${list(to)}` : ''].filter(Boolean).join(', ');
};
const clientFacts = computed(() => [
  { label: 'Kind', value: form.kind },
  { label: 'Status', value: form.status },
  { label: FIELD_LABELS.since ?? '', value: since.value },
  { label: 'Adviser', value: view.value?.adviser ?? 'none yet' },
  { label: 'Service', value: form.service ?? '' },
  { label: 'Place', value: form.place },
  { label: 'Telephone', value: phoneWords(form.phones) },
  { label: 'Note', value: form.note },
]);
const writtenFacts = computed(() => [
  { label: 'Greeting', value: form.greeting ?? 'made of the names' },
  { label: FIELD_LABELS.postal ?? '', value: form.postal.join('\n') || 'none yet' },
  { label: 'Country', value: form.country ? countryName(form.country) : '' },
  ...form.delivery.map(({ kind }) => ({ label: DELIVERY_KINDS[kind], value: deliveryWords(kind) })),
  { label: FIELD_LABELS.counted ?? '', value: form.counted ? 'may be counted' : 'not counted' },
]);

/** The client is here once more, under another number. */
const twice = ref(false);
const other = ref<number | null>(null);
const person = ref<number | 'new' | null>(null);
const file = ref<number | 'new' | null>(null);
function movePerson(index: number, by: -1 | 1) {
  const list = [...form.people];
  const [line] = list.splice(index, 1);
  if (line) list.splice(index + by, 0, line);
  form.people = list;
}
const dropPerson = (personId: number) => {
  form.people = form.people.filter((each) => each.personId !== personId);
};
async function reload() {
  await Promise.all([readView(), readKnown()]);
}
</script>

<template>
  <div class="screen">
    <Trouble :words="problem || unread" :retry="reload" />
    <template v-if="view && known">
      <header class="head">
        <div>
          <p class="quiet"><router-link :to="`/clients/${id}`">Correspondence and files</router-link></p>
          <h1>{{ form.name || view.name }}</h1>
        </div>
        <p v-if="may" class="quiet keys">
          <button v-if="session.may('merge records')" type="button" class="link" @click="twice = true">
            here twice?
          </button>
          <span><KeyCap letter="E" /> change</span>
        </p>
      </header>
      <div class="columns">
        <div>
          <Section v-model="changing.client" title="Client" :may="may">
            <Facts :facts="clientFacts" />
            <template #change>
              <v-text-field v-model="form.name" label="Name" class="wide" :error-messages="errorOf('name')" />
              <v-select v-model="form.kind" :items="ClientKind.options" label="Kind" />
              <v-select v-model="form.status" :items="ClientStatus.options" label="Status" />
              <v-autocomplete v-model="form.adviserId" :items="advisers" label="Adviser" clearable />
              <v-autocomplete
                v-model="form.service"
                :items="choices?.services ?? []"
                label="Service"
                clearable
                :error-messages="errorOf('service')"
              />
              <v-text-field v-model="form.place" label="Place" :error-messages="errorOf('place')" />
              <v-text-field v-model="since" label="Client since" :error-messages="errorOf('since')" />
              <PhoneLines v-model="form.phones" :errors="errorOf('phones')" />
              <v-textarea v-model="form.note" label="Note" rows="2" auto-grow class="wide" />
            </template>
          </Section>
          <Section v-model="changing.written" title="How they are written to" :may="may">
            <Facts :facts="writtenFacts" />
            <template #change>
              <v-text-field
                v-model="greeting"
                label="Greeting, after “Dear”"
                class="wide"
                :error-messages="errorOf('greeting')"
              />
              <v-textarea
                v-model="postal"
                label="Postal address"
                rows="4"
                :error-messages="errorOf('postal')"
              />
              <CountryField
                v-model="form.country"
                label="Country, if another than ours"
                clearable
                :error-messages="errorOf('country')"
              />
              <template v-for="line in form.delivery" :key="line.kind">
                <v-select v-model="line.way" :items="ways" :label="DELIVERY_KINDS[line.kind]" />
                <v-select
                  v-model="line.personId"
                  :items="people"
                  label="To"
                  clearable
                  placeholder="whoever mail is addressed to"
                  persistent-placeholder
                  :disabled="line.way === 'none'"
                />
                <v-select
                  v-if="line.kind !== 'mailings'"
                  v-model="line.alsoId"
                  :items="people.filter(({ value }) => value !== line.personId)"
                  :label="`${DELIVERY_KINDS[line.kind]}: also to`"
                  clearable
                  class="wide"
                  :disabled="line.way === 'none' || !line.personId"
                />
              </template>
              <v-checkbox
                v-model="form.counted"
                class="wide"
                label="whether they open mailings and follow their links may be counted"
              />
            </template>
          </Section>
          <Section v-model="changing.own" title="Fields of our own" :may="may && fields.length > 0">
            <Facts v-if="view.fields.length" :facts="view.fields" />
            <p v-else class="quiet">
              {{ fields.length ? 'Nothing is noted yet.' : 'The office keeps none yet.' }}
              <router-link v-if="!fields.length && session.may('run the office')" to="/settings/fields"
                >Make some</router-link
              >
            </p>
            <template #change>
              <OwnFields :fields="fields" :values="form" :error-of="errorOf" />
            </template>
          </Section>
          <Section v-model="changing.marks" title="Interests and tags" :may="may">
            <Facts
              :facts="[
                { label: 'Interests', value: form.interests.join(', ') || 'none noted' },
                { label: 'Tags', value: form.tags.join(', ') || 'none' },
              ]"
            />
            <template #change>
              <v-autocomplete
                v-model="form.interests"
                :items="choices?.interests ?? []"
                label="Interests"
                multiple
                class="wide"
                :error-messages="errorOf('interests')"
              />
              <v-combobox
                v-model="form.tags"
                :items="choices?.tags ?? []"
                label="Tags: choose, or type a new one"
                multiple
                chips
                closable-chips
                class="wide"
                :error-messages="errorOf('tags')"
              />
            </template>
          </Section>
        </div>
        <div>
          <Section v-model="changing.people" title="People" :may="may && form.people.length > 0">
            <template #more>
              <button v-if="may" type="button" class="link" @click="person = 'new'">add somebody</button>
            </template>
            <ul class="people">
              <li v-for="each in view.people" :key="each.id">
                <div>
                  <button type="button" class="link name" @click="person = each.id">
                    {{ each.name || 'No name yet' }}
                  </button>
                  <span class="quiet">
                    {{ [each.role, each.writes ? 'written to' : ''].filter(Boolean).join(', ') }}</span
                  >
                </div>
                <div v-for="address in each.addresses" :key="address.email" class="quiet line">
                  {{ address.email }}{{ address.purpose ? ` (${address.purpose})` : ''
                  }}{{ address.current ? '' : ' (old)' }}
                  <span v-if="address.returned" class="needs">returned: {{ address.returned }}</span>
                  <span v-if="address.optedOut" class="needs">opted out {{ address.optedOut }}</span>
                </div>
                <div v-for="phone in each.phones" :key="phone.number" class="quiet line">
                  {{ phone.number }}{{ phone.purpose ? ` (${phone.purpose})` : '' }}
                </div>
              </li>
            </ul>
            <p v-if="!view.people.length" class="quiet">
              Nobody is named yet; mail from them cannot be told by its sender.
            </p>
            <template #change>
              <div v-for="(line, index) in form.people" :key="line.personId" class="wide tie">
                <strong>{{ nameOf(line.personId) }}</strong>
                <v-combobox v-model="line.role" :items="choices?.roles ?? []" label="Role" />
                <v-checkbox v-model="line.writes" label="written to" />
                <button
                  type="button"
                  class="link"
                  :disabled="!index"
                  :aria-label="`${nameOf(line.personId)} earlier`"
                  @click="movePerson(index, -1)"
                >
                  up
                </button>
                <button
                  type="button"
                  class="link"
                  :aria-label="`${nameOf(line.personId)} is not theirs`"
                  @click="dropPerson(line.personId)"
                >
                  not theirs
                </button>
              </div>
            </template>
          </Section>
          <section class="sheet files" aria-label="Files">
            <header>
              <h2>Files</h2>
              <button v-if="may" type="button" class="link" @click="file = 'new'">open a file</button>
            </header>
            <ul class="people">
              <li v-for="each in view.files" :key="each.id" :class="{ shut: each.closed }">
                <button type="button" class="link" @click="file = each.id">
                  <span class="figures">{{ each.number }}</span> {{ each.title }}
                </button>
                <span class="quiet">
                  {{ each.closedOn ? `closed ${date(each.closedOn)}` : each.stage || 'open' }}</span
                >
              </li>
            </ul>
          </section>
          <section class="sheet files" aria-label="History">
            <header><h2>History</h2></header>
            <History :id="id" subject="client" @changed="reload" />
          </section>
        </div>
      </div>
      <FeeNotes :client-id="id" :files="view.files" :may="may" />
      <div v-show="record.changed.value.length || Object.keys(record.theirs.value).length" class="foot">
        <KeepBar :record="record" :labels="labels" @kept="kept" />
      </div>
      <AskDialog v-model="twice" label="Here twice">
        <p class="quiet mb-3">
          Choose the other record; both are shown side by side before anything is done.
        </p>
        <LinkField v-model="other" to="client" label="The same as" />
        <template #answers>
          <v-btn @click="twice = false">Not now</v-btn>
          <v-btn
            color="primary"
            variant="flat"
            :disabled="other === null || other === id"
            :to="`/mending/client/${id}/${other}`"
            >Side by side</v-btn
          >
        </template>
      </AskDialog>
      <PersonDialog
        v-model="person"
        :client-id="id"
        :fields="fieldsOf('person')"
        :choices="choices"
        @changed="reload"
      />
      <FileDialog
        v-model="file"
        :client-id="id"
        :fields="fieldsOf('file')"
        :choices="choices"
        :people="people"
        @changed="reload"
      />
    </template>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  gap: 0 16px;
  margin-top: 14px;
  align-items: start;
}
.files {
  padding: 12px 16px 14px;
  margin-bottom: 14px;
}
.files header {
  display: flex;
  align-items: baseline;
  border-bottom: 1px solid var(--strong);
  padding-bottom: 4px;
  margin-bottom: 8px;
}
.files h2 {
  flex: 1;
}
.people {
  list-style: none;
  padding: 0;
  margin: 0;
}
.people li {
  padding: 5px 0;
  border-bottom: 1px solid var(--hairline);
}
.people li:last-child {
  border-bottom: 0;
}
.name {
  font-weight: 700;
}
.line {
  overflow-wrap: anywhere;
}
.shut .link {
  color: var(--ink-soft);
}
.tie {
  display: grid;
  grid-template-columns: minmax(90px, 1fr) minmax(120px, 1.2fr) auto auto auto;
  gap: 8px;
  align-items: center;
}
.foot {
  position: sticky;
  bottom: -20px;
  background: var(--page);
  border-top: 1px solid var(--strong);
  padding: 0 0 14px;
  z-index: 2;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
