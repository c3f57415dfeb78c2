import { createRouter, createWebHistory } from 'vue-router';

import { ApiError } from '@/api/client';
import { useSession } from '@/stores/session';

declare module 'vue-router' {
  interface RouteMeta {
    /** Reached without signing in. */
    open?: boolean;
    /** What the page is called; pages of one thing are called after it. */
    title?: string;
  }
}

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('@/pages/SignIn.vue'),
      meta: { open: true, title: 'Sign in' },
    },
    {
      path: '/set-up',
      name: 'set-up',
      component: () => import('@/pages/SetUpPage.vue'),
      meta: { open: true, title: 'Set up' },
    },
    {
      path: '/join',
      name: 'join',
      component: () => import('@/pages/JoinPage.vue'),
      meta: { open: true, title: 'Join' },
    },
    {
      path: '/studio',
      name: 'studio',
      component: () => import('@/pages/StudioPage.vue'),
      meta: { title: 'Studio' },
    },
    {
      path: '/',
      name: 'projects',
      component: () => import('@/pages/Projects.vue'),
      meta: { title: 'Projects' },
    },
    {
      path: '/account',
      name: 'account',
      component: () => import('@/pages/AccountPage.vue'),
      meta: { title: 'Account' },
    },
    {
      path: '/projects/:slug',
      component: () => import('@/pages/ProjectFrame.vue'),
      children: [
        {
          path: '',
          name: 'board',
          component: () => import('@/pages/BoardPage.vue'),
          meta: { title: 'Board' },
        },
        {
          path: 'arrivals',
          name: 'arrivals',
          component: () => import('@/pages/ArrivalsPage.vue'),
          meta: { title: 'Arrivals' },
        },
        {
          path: 'maps',
          name: 'maps',
          component: () => import('@/pages/MapsPage.vue'),
          meta: { title: 'Maps' },
        },
        {
          path: 'depot',
          name: 'depot',
          component: () => import('@/pages/DepotPage.vue'),
          meta: { title: 'Depot' },
        },
        {
          path: 'rules',
          name: 'rules',
          component: () => import('@/pages/RulesPage.vue'),
          meta: { title: 'House rules' },
        },
        {
          path: 'checks',
          name: 'checks',
          component: () => import('@/pages/ChecksPage.vue'),
          meta: { title: 'Checks' },
        },
        {
          path: 'renames',
          name: 'renames',
          component: () => import('@/pages/RenamesPage.vue'),
          meta: { title: 'Rename plan' },
        },
        {
          path: 'masters',
          name: 'masters',
          component: () => import('@/pages/MastersPage.vue'),
          meta: { title: 'Masters' },
        },
        { path: 'masters/:name', name: 'master', component: () => import('@/pages/MasterPage.vue') },
        { path: 'masters/:name/draft', name: 'sheet', component: () => import('@/pages/SheetPage.vue') },
        {
          path: 'targets',
          name: 'targets',
          component: () => import('@/pages/TargetsPage.vue'),
          meta: { title: 'Targets' },
        },
        { path: 'targets/:name', name: 'target', component: () => import('@/pages/TargetPage.vue') },
        {
          path: 'repack',
          name: 'repack',
          component: () => import('@/pages/RepackPage.vue'),
          meta: { title: 'Repack' },
        },
        {
          path: 'models',
          name: 'models',
          component: () => import('@/pages/ModelsPage.vue'),
          meta: { title: 'Models' },
        },
        {
          path: 'models/:id',
          name: 'model',
          component: () => import('@/pages/ModelPage.vue'),
          meta: { title: 'Model' },
        },
        {
          path: 'deliveries',
          name: 'deliveries',
          component: () => import('@/pages/DeliveriesPage.vue'),
          meta: { title: 'Deliveries' },
        },
        {
          path: 'project',
          name: 'project',
          component: () => import('@/pages/ProjectPage.vue'),
          meta: { title: 'Project and people' },
        },
        {
          path: 'record',
          name: 'record',
          component: () => import('@/pages/RecordPage.vue'),
          meta: { title: 'Record' },
        },
        {
          path: 'tolerances',
          name: 'tolerances',
          component: () => import('@/pages/TolerancesPage.vue'),
          meta: { title: 'Tolerances' },
        },
        {
          path: 'variants/:id(\\d+)',
          name: 'variant',
          component: () => import('@/pages/VariantPage.vue'),
        },
        { path: 'sets/:id(\\d+)/look', name: 'look', component: () => import('@/pages/LookPage.vue') },
        { path: 'sets/:id(\\d+)', name: 'set', component: () => import('@/pages/SetPage.vue') },
      ],
    },
    {
      path: '/:rest(.*)*',
      name: 'nowhere',
      component: () => import('@/pages/Nowhere.vue'),
      meta: { title: 'Not found' },
    },
  ],
});

router.beforeEach(async (to) => {
  const session = useSession();
  // A server that does not answer is no reason to ask for a password: the page waits for it.
  for (let pause = 1000; !session.known; pause = Math.min(pause * 1.5, 8000)) {
    try {
      await session.load();
      session.away = '';
    } catch (error) {
      session.away = error instanceof ApiError ? `${error.sentence}` : 'The server does not answer.';
      await new Promise((done) => setTimeout(done, pause));
    }
  }
  if (session.setup?.empty && to.name !== 'set-up') return { name: 'set-up' };
  if (!session.setup?.empty && to.name === 'set-up') return { name: 'projects' };
  if (!session.user && !to.meta.open) return { name: 'sign-in', query: { to: to.fullPath } };
  return true;
});

router.afterEach((to, _, failure) => {
  if (failure) return;
  if (!to.params.slug) document.title = `${to.meta.title ?? 'Projects'} · Fair Texel`;
});
