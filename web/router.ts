import { createRouter, createWebHistory } from 'vue-router';
import type { Right } from '../contract/index.ts';
import { whenSignedOut } from './api.ts';
import { SCREENS } from './screens.ts';
import { useSession } from './session.ts';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    {
      path: '/sign-in',
      name: 'sign in',
      component: () => import('./signin/SignIn.vue'),
      meta: { open: true, title: 'Sign in' },
    },
    {
      path: '/set-up',
      name: 'set up',
      component: () => import('./signin/SetUp.vue'),
      meta: { open: true, title: 'A new office' },
    },
    {
      path: '/key/:token',
      name: 'one-time link',
      component: () => import('./signin/OneTimeLink.vue'),
      meta: { open: true, title: 'Choose a password' },
    },
    {
      path: '/second-step',
      name: 'second step',
      component: () => import('./signin/SecondStepFirst.vue'),
      meta: { title: 'A second step' },
    },
    {
      // A message in a window of its own.
      path: '/letter/:id(\\d+)',
      name: 'letter apart',
      component: () => import('./writing/DraftEditor.vue'),
      meta: { title: 'Write' },
    },
    {
      path: '/',
      component: () => import('./shell/Shell.vue'),
      children: SCREENS.map(({ name, path, title, show, right }) => ({
        name,
        path,
        component: show,
        meta: { title, right },
      })),
    },
  ],
});

router.beforeEach(async (to) => {
  if (to.meta.open) return true;
  const session = useSession();
  if (!(await session.load())) return { name: 'sign in', query: { to: to.fullPath } };
  if (session.session?.secondStepFirst && to.name !== 'second step') return { name: 'second step' };
  const right = to.meta.right as Right | undefined;
  return !right || session.may(right) || { name: 'today' };
});
router.afterEach((to) => {
  document.title = `${String(to.meta.title ?? '')} · Patient Clerk`;
});

whenSignedOut(() => {
  const { currentRoute } = router;
  if (currentRoute.value.meta.open) return;
  useSession().session = null;
  void router.push({ name: 'sign in', query: { to: currentRoute.value.fullPath } });
});
