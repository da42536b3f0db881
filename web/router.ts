import { createRouter, createWebHistory } from 'vue-router';
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
      // A message in a window of its own.
      path: '/letter/:id(\\d+)',
      name: 'letter apart',
      component: () => import('./writing/DraftEditor.vue'),
      meta: { title: 'Write' },
    },
    {
      path: '/',
      component: () => import('./shell/Shell.vue'),
      children: SCREENS.map(({ name, path, title, show }) => ({
        name,
        path,
        component: show,
        meta: { title },
      })),
    },
  ],
});

router.beforeEach(async (to) => {
  if (to.meta.open) return true;
  return (await useSession().load()) || { name: 'sign in', query: { to: to.fullPath } };
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
