<script setup lang="ts">
import type { MailboxAccess } from '../../contract/index.ts';

/** How a mailbox is reached: two servers, their ports and protection, and the name one signs in with. */
const access = defineModel<MailboxAccess>({ required: true });
defineProps<{ errorOf: (field: string) => string[] }>();
const PROTECTION = [
  { value: 'tls', title: 'TLS from the start' },
  { value: 'starttls', title: 'TLS after asking (STARTTLS)' },
  { value: 'none', title: 'none (this machine only)' },
];
const USUAL: Record<string, Record<string, number>> = {
  imap: { tls: 993, starttls: 143, none: 143 },
  smtp: { tls: 465, starttls: 587, none: 25 },
};
/** The usual port goes along with the protection, unless another was typed. */
function protect(side: 'imap' | 'smtp', to: 'tls' | 'starttls' | 'none') {
  const before = side === 'imap' ? access.value.imapSecurity : access.value.smtpSecurity;
  const port = side === 'imap' ? access.value.imapPort : access.value.smtpPort;
  const next = port === USUAL[side]?.[before] ? (USUAL[side]?.[to] ?? port) : port;
  access.value =
    side === 'imap'
      ? { ...access.value, imapSecurity: to, imapPort: next }
      : { ...access.value, smtpSecurity: to, smtpPort: next };
}
</script>

<template>
  <div class="form">
    <fieldset>
      <legend>Incoming mail (IMAP)</legend>
      <v-text-field v-model="access.imapHost" label="Server" :error-messages="errorOf('access.imapHost')" />
      <div class="two">
        <v-text-field
          v-model.number="access.imapPort"
          label="Port"
          type="number"
          :error-messages="errorOf('access.imapPort')"
        />
        <v-select
          :model-value="access.imapSecurity"
          :items="PROTECTION"
          label="Protection"
          @update:model-value="(to: 'tls' | 'starttls' | 'none') => protect('imap', to)"
        />
      </div>
    </fieldset>
    <fieldset>
      <legend>Outgoing mail (SMTP)</legend>
      <v-text-field v-model="access.smtpHost" label="Server" :error-messages="errorOf('access.smtpHost')" />
      <div class="two">
        <v-text-field
          v-model.number="access.smtpPort"
          label="Port"
          type="number"
          :error-messages="errorOf('access.smtpPort')"
        />
        <v-select
          :model-value="access.smtpSecurity"
          :items="PROTECTION"
          label="Protection"
          @update:model-value="(to: 'tls' | 'starttls' | 'none') => protect('smtp', to)"
        />
      </div>
    </fieldset>
    <fieldset class="wide">
      <legend>Signing in there</legend>
      <v-text-field
        v-model="access.user"
        label="Name to sign in with"
        autocomplete="off"
        :error-messages="errorOf('access.user')"
      />
    </fieldset>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px 24px;
}
fieldset {
  border: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
.wide {
  grid-column: 1 / -1;
}
legend {
  font-weight: 600;
  padding: 0 0 6px;
}
.two {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 10px;
}
</style>
