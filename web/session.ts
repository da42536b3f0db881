import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { z } from 'zod';
import {
  may as roleMay,
  RailCounts,
  Session,
  type Right,
  type SetUp,
  type SignIn,
} from '../contract/index.ts';
import { act, get, send } from './api.ts';

/** Who is signed in, and the figures of the rail. */
export const useSession = defineStore('session', () => {
  const session = ref<Session | null>(null);
  const counts = ref<RailCounts | null>(null);
  const zone = computed(() => session.value?.firm.zone ?? 'UTC');

  /** Whether who is signed in may do this (contract/rights.ts). */
  const may = (right: Right) => session.value !== null && roleMay(session.value.staff.role, right);

  async function load(): Promise<boolean> {
    if (session.value) return true;
    try {
      session.value = await get(Session, '/session');
      return true;
    } catch {
      return false;
    }
  }
  async function signIn(given: z.input<typeof SignIn>): Promise<void> {
    session.value = await send('POST', Session, '/session', given);
  }
  /** Makes the firm and the account of whoever sets it up, who is signed in by it. */
  async function setUp(wanted: SetUp): Promise<void> {
    session.value = await send('POST', Session, '/set-up', wanted);
  }
  async function signOut(): Promise<void> {
    await act('DELETE', '/session');
    session.value = null;
    counts.value = null;
  }
  /** Reads the figures of the rail anew. @param of these alone; all when left out */
  async function count(of?: readonly (keyof RailCounts)[]): Promise<void> {
    const fresh = await get(RailCounts.partial(), '/rail', { of: of?.join(',') });
    const known = RailCounts.safeParse({ ...counts.value, ...fresh });
    if (known.success) counts.value = known.data;
  }
  return { session, counts, zone, may, load, signIn, setUp, signOut, count };
});
