<script setup lang="ts">
import { useRouter } from 'vue-router';
import SecondStep from '../shell/SecondStep.vue';
import { useSession } from '../session.ts';
import Door from './Door.vue';

/** The office asks for a second step: it is set up before anything else. */
const session = useSession();
const router = useRouter();
async function done() {
  session.session = null;
  await router.push('/');
}
async function signOut() {
  await session.signOut();
  await router.push('/sign-in');
}
</script>

<template>
  <Door heading="A second step" words="Your office asks everybody to sign in with one. Set it up to go on.">
    <SecondStep @done="done" />
    <p class="mt-4"><button type="button" class="link" @click="signOut">Sign out instead</button></p>
  </Door>
</template>
