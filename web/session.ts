import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import { may as roleMay, RailCounts, Session, type Right } from '../contract/index.ts';
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
  async function signIn(email: string, password: string): Promise<void> {
    session.value = await send('POST', Session, '/session', { email, password });
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
  return { session, counts, zone, may, load, signIn, signOut, count };
});
