import { createRouter, createWebHistory } from 'vue-router';
import { whenSignedOut } from './api.ts';
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
      component: () => import('./writing/Letter.vue'),
      meta: { title: 'Write' },
    },
    {
      path: '/',
      component: () => import('./shell/Shell.vue'),
      children: [
        { path: '', name: 'today', component: () => import('./today/Today.vue'), meta: { title: 'Today' } },
        {
          path: 'returned',
          name: 'returned',
          component: () => import('./today/Returned.vue'),
          meta: { title: 'Returned messages' },
        },
        {
          path: 'sorting',
          name: 'sorting',
          component: () => import('./sorting/Sorting.vue'),
          meta: { title: 'Sorting' },
        },
        {
          path: 'sorting/over',
          name: 'look them over',
          component: () => import('./filing/Alone.vue'),
          meta: { title: 'Look them over' },
        },
        {
          path: 'filing',
          name: 'filing',
          component: () => import('./filing/HowWell.vue'),
          meta: { title: 'Filing' },
        },
        {
          path: 'clients',
          name: 'clients',
          component: () => import('./clients/Clients.vue'),
          meta: { title: 'Clients' },
        },
        {
          path: 'clients/:id(\\d+)',
          name: 'client',
          component: () => import('./clients/Client.vue'),
          meta: { title: 'Client' },
        },
        {
          path: 'mail',
          name: 'mail',
          component: () => import('./mail/Mail.vue'),
          meta: { title: 'Mail' },
        },
        {
          path: 'write',
          name: 'write',
          component: () => import('./writing/Begin.vue'),
          meta: { title: 'Write' },
        },
        {
          path: 'writing',
          name: 'writing',
          component: () => import('./writing/Writing.vue'),
          meta: { title: 'Drafts' },
        },
        {
          path: 'writing/:id(\\d+)',
          name: 'letter',
          component: () => import('./writing/Letter.vue'),
          meta: { title: 'Write' },
        },
        {
          path: 'mailings',
          name: 'mailings',
          component: () => import('./mailings/Mailings.vue'),
          meta: { title: 'Mailings' },
        },
        {
          path: 'mailings/:id(\\d+)/:step(recipients|message|checks|release)?',
          name: 'mailing',
          component: () => import('./mailings/Mailing.vue'),
          meta: { title: 'Mailing' },
        },
        {
          path: 'mailboxes',
          name: 'mailboxes',
          component: () => import('./mailboxes/Mailboxes.vue'),
          meta: { title: 'Mailboxes' },
        },
        {
          path: 'mailboxes/connect',
          name: 'connect',
          component: () => import('./mailboxes/Connect.vue'),
          meta: { title: 'Connect a mailbox' },
        },
        {
          path: 'mailboxes/:id(\\d+)',
          name: 'mailbox',
          component: () => import('./mailboxes/MailboxSettings.vue'),
          meta: { title: 'Mailbox' },
        },
        {
          path: ':rest(.*)*',
          name: 'nowhere',
          component: () => import('./shell/Nowhere.vue'),
          meta: { title: 'Not found' },
        },
      ],
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
