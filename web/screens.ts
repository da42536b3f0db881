import type { Component } from 'vue';
import type { Right } from '../contract/index.ts';

/** A screen within the shell. Router, rail and finder read this one list, so that they cannot drift apart. */
export interface Screen {
  /** Of the route. */
  name: string;
  /** Below `/`; parameters as the router writes them. */
  path: string;
  /** In the window's title, the rail and the finder. */
  title: string;
  show: () => Promise<{ default: Component }>;
  /** Where it stands in the rail. */
  rail?: { group: 'The day' | 'Records' | 'Going out' | 'Cupboard'; count?: RailCount; needs?: boolean };
  /** Whether the finder at the top leads to it: whoever names it needs to know no number. */
  find?: boolean;
  /** Only for those who have it. */
  right?: Right;
}

/** Where a screen is found by whoever knows nothing of its parameters. */
export const screenPath = (path: string): string => `/${path.split('/:')[0]}`;

/** Which of the counts of the rail stands beside a screen. */
export type RailCount =
  | 'sorting'
  | 'unread'
  | 'clients'
  | 'mailings'
  | 'dispatch'
  | 'mailboxes'
  | 'tasks'
  | 'orders'
  | 'texts'
  | 'collection';

export const SCREENS: readonly Screen[] = [
  {
    name: 'today',
    path: '',
    title: 'Today',
    show: () => import('./today/Today.vue'),
    rail: { group: 'The day' },
    find: true,
  },
  {
    name: 'returned',
    path: 'returned',
    title: 'Returned messages',
    show: () => import('./today/Returned.vue'),
    find: true,
  },
  {
    name: 'sorting',
    path: 'sorting',
    title: 'Sorting',
    show: () => import('./sorting/Sorting.vue'),
    rail: { group: 'The day', count: 'sorting', needs: true },
    find: true,
  },
  {
    name: 'look them over',
    path: 'sorting/over',
    title: 'Look them over',
    show: () => import('./filing/AutoFiled.vue'),
    find: true,
  },
  {
    name: 'mail',
    path: 'mail',
    title: 'Mail',
    show: () => import('./mail/Mail.vue'),
    rail: { group: 'The day', count: 'unread' },
    find: true,
  },
  {
    name: 'tasks',
    path: 'tasks',
    title: 'Tasks',
    show: () => import('./tasks/Tasks.vue'),
    rail: { group: 'The day', count: 'tasks' },
    find: true,
  },
  { name: 'write', path: 'write', title: 'Write', show: () => import('./writing/Begin.vue'), find: true },
  {
    name: 'writing',
    path: 'writing',
    title: 'Drafts',
    show: () => import('./writing/Writing.vue'),
    find: true,
  },
  {
    name: 'letter',
    path: 'writing/:id(\\d+)',
    title: 'Write',
    show: () => import('./writing/DraftEditor.vue'),
  },
  {
    name: 'clients',
    path: 'clients',
    title: 'Clients',
    show: () => import('./clients/Clients.vue'),
    rail: { group: 'Records', count: 'clients' },
    find: true,
  },
  {
    name: 'client',
    path: 'clients/:id(\\d+)',
    title: 'Client',
    show: () => import('./clients/Client.vue'),
  },
  {
    name: 'selections',
    path: 'selections',
    title: 'Selections',
    show: () => import('./selection/Selections.vue'),
    rail: { group: 'Records' },
    find: true,
  },
  {
    name: 'compare selections',
    path: 'selections/compare',
    title: 'Two selections',
    show: () => import('./selection/Compare.vue'),
  },
  {
    name: 'print a selection',
    path: 'selections/print',
    title: 'On paper',
    show: () => import('./selection/PrintList.vue'),
  },
  {
    name: 'selection',
    path: 'selections/:id(\\d+|new)',
    title: 'Selection',
    show: () => import('./selection/Selection.vue'),
  },
  {
    name: 'documents',
    path: 'documents',
    title: 'Documents',
    show: () => import('./documents/Documents.vue'),
    rail: { group: 'Records' },
    find: true,
  },
  {
    name: 'mending',
    path: 'mending',
    title: 'Mending',
    show: () => import('./mending/Mending.vue'),
    rail: { group: 'Records' },
    find: true,
  },
  {
    name: 'two or one',
    path: 'mending/:subject(client|person)/:a(\\d+)/:b(\\d+)',
    title: 'Two or one',
    show: () => import('./mending/SideBySide.vue'),
  },
  {
    name: 'import',
    path: 'clients/import/:id(\\d+)?',
    title: 'Bring a list in',
    show: () => import('./import/Import.vue'),
    find: true,
    right: 'bring lists in',
  },
  {
    name: 'mailings to a client',
    path: 'clients/:id(\\d+)/mailings',
    title: 'Mailings to a client',
    show: () => import('./clients/MailingTrace.vue'),
  },
  {
    name: 'client record',
    path: 'clients/:id(\\d+)/record',
    title: 'Record',
    show: () => import('./register/ClientRecord.vue'),
  },
  {
    name: 'mailings',
    path: 'mailings',
    title: 'Mailings',
    show: () => import('./mailings/Mailings.vue'),
    rail: { group: 'Going out', count: 'mailings' },
    find: true,
  },
  {
    name: 'mailing',
    path: 'mailings/:id(\\d+)/:step(recipients|message|checks|timing|release)?',
    title: 'Mailing',
    show: () => import('./mailings/Mailing.vue'),
  },
  {
    name: 'paperwork',
    path: 'paperwork',
    title: 'Paperwork',
    show: () => import('./paperwork/Paperwork.vue'),
    rail: { group: 'Going out' },
    find: true,
  },
  {
    name: 'reminders',
    path: 'paperwork/reminders',
    title: 'Reminders',
    show: () => import('./paperwork/Reminders.vue'),
    find: true,
  },
  {
    name: 'templates',
    path: 'paperwork/templates',
    title: 'Templates',
    show: () => import('./paperwork/Templates.vue'),
    find: true,
  },
  {
    name: 'template',
    path: 'paperwork/templates/:id(\\d+)',
    title: 'Template',
    show: () => import('./paperwork/Template.vue'),
  },
  {
    name: 'print pack',
    path: 'paperwork/packs/:id(\\d+)',
    title: 'Print pack',
    show: () => import('./paperwork/Pack.vue'),
  },
  {
    name: 'paper run',
    path: 'paperwork/:id(\\d+)',
    title: 'Paperwork',
    show: () => import('./paperwork/Run.vue'),
  },
  {
    name: 'text messages',
    path: 'texts',
    title: 'Text messages',
    show: () => import('./textmessage/Texts.vue'),
    rail: { group: 'The day', count: 'texts' },
    find: true,
  },
  {
    name: 'clients’ pages',
    path: 'pages',
    title: 'Clients’ pages',
    show: () => import('./collection/Collection.vue'),
    rail: { group: 'The day', count: 'collection', needs: true },
    find: true,
  },
  {
    name: 'standing orders',
    path: 'orders',
    title: 'Standing orders',
    show: () => import('./orders/Orders.vue'),
    rail: { group: 'Going out', count: 'orders' },
    find: true,
  },
  {
    name: 'standing order',
    path: 'orders/:id(\\d+|new)',
    title: 'Standing order',
    show: () => import('./orders/Order.vue'),
  },
  {
    name: 'dispatch',
    path: 'dispatch',
    title: 'Dispatch',
    show: () => import('./dispatch/Dispatch.vue'),
    rail: { group: 'Going out', count: 'dispatch' },
    find: true,
  },
  {
    name: 'wordings',
    path: 'wordings',
    title: 'Wordings',
    show: () => import('./wordings/Wordings.vue'),
    rail: { group: 'Cupboard' },
    find: true,
  },
  {
    name: 'wording',
    path: 'wordings/:id(\\d+|new)',
    title: 'A wording',
    show: () => import('./wordings/Wording.vue'),
  },
  {
    name: 'mailboxes',
    path: 'mailboxes',
    title: 'Mailboxes',
    show: () => import('./mailboxes/Mailboxes.vue'),
    rail: { group: 'Cupboard', count: 'mailboxes' },
    find: true,
  },
  {
    name: 'connect',
    path: 'mailboxes/connect',
    title: 'Connect a mailbox',
    show: () => import('./mailboxes/Connect.vue'),
    find: true,
  },
  {
    name: 'mailbox',
    path: 'mailboxes/:id(\\d+)',
    title: 'Mailbox',
    show: () => import('./mailboxes/MailboxSettings.vue'),
  },
  {
    name: 'filing',
    path: 'filing',
    title: 'Filing',
    show: () => import('./filing/FilingScore.vue'),
    rail: { group: 'Cupboard' },
    find: true,
  },
  {
    name: 'reckoning',
    path: 'reckoning',
    title: 'The reckoning',
    show: () => import('./reckoning/Reckoning.vue'),
    rail: { group: 'Cupboard' },
    find: true,
    right: 'reckon the days',
  },
  {
    name: 'settings',
    path: 'settings/:part?',
    title: 'Settings',
    show: () => import('./office/Settings.vue'),
    rail: { group: 'Cupboard' },
    find: true,
    right: 'run the office',
  },
  {
    name: 'nowhere',
    path: ':rest(.*)*',
    title: 'Not found',
    show: () => import('./shell/Nowhere.vue'),
  },
];
