import { createRouter, createWebHistory } from "vue-router";
import { useSession } from "./stores/session";

declare module "vue-router" {
  interface RouteMeta {
    /** Open to everyone. */
    open?: boolean;
    /** Without the navigation. */
    bare?: boolean;
    title: string;
  }
}

export const router = createRouter({
  history: createWebHistory(),
  scrollBehavior: (_to, _from, kept) => kept ?? { top: 0 },
  routes: [
    { path: "/sign-in", component: () => import("./pages/SignInPage.vue"), meta: { open: true, bare: true, title: "Sign in" } },
    { path: "/begin", component: () => import("./pages/BeginPage.vue"), meta: { open: true, bare: true, title: "Set up your practice" } },
    {
      path: "/password/:token",
      component: () => import("./pages/PasswordPage.vue"),
      props: true,
      meta: { open: true, bare: true, title: "New password" },
    },
    { path: "/second-factor", component: () => import("./pages/SecondFactorPage.vue"), meta: { bare: true, title: "Second factor" } },
    { path: "/", component: () => import("./pages/TodayPage.vue"), meta: { title: "Today" } },
    { path: "/people", component: () => import("./pages/PeoplePage.vue"), meta: { title: "People" } },
    { path: "/people/new", component: () => import("./pages/PersonEditPage.vue"), meta: { title: "New client" } },
    {
      path: "/people/list",
      component: () => import("./pages/PeopleListPage.vue"),
      props: (to) => ({ group: to.query.group }),
      meta: { title: "Add a list" },
    },
    { path: "/groups", component: () => import("./pages/GroupsPage.vue"), meta: { title: "Groups" } },
    {
      path: "/groups/:id/standing",
      component: () => import("./pages/GroupStandingPage.vue"),
      props: true,
      meta: { title: "Group results" },
    },
    { path: "/groups/:id", component: () => import("./pages/GroupPage.vue"), props: true, meta: { title: "Group" } },
    {
      path: "/groups/:id/visits/new",
      component: () => import("./pages/GroupVisitNewPage.vue"),
      props: (to) => ({ id: to.params.id, battery: to.query.battery }),
      meta: { title: "A group visit" },
    },
    { path: "/group-visits/:id", component: () => import("./pages/GroupVisitPage.vue"), props: true, meta: { title: "Group visit" } },
    {
      path: "/group-visits/:id/list",
      component: () => import("./pages/GroupSheetPage.vue"),
      props: true,
      meta: { title: "Results as a list" },
    },
    { path: "/people/:id", component: () => import("./pages/PersonPage.vue"), props: true, meta: { title: "Client" } },
    { path: "/people/:id/edit", component: () => import("./pages/PersonEditPage.vue"), props: true, meta: { title: "Change client" } },
    { path: "/people/:id/readiness", component: () => import("./pages/ReadinessPage.vue"), props: true, meta: { title: "Readiness" } },
    {
      path: "/people/:id/history/:battery",
      component: () => import("./pages/HistoryPage.vue"),
      props: true,
      meta: { title: "Battery over time" },
    },
    { path: "/people/:id/photos", component: () => import("./pages/PhotosPage.vue"), props: true, meta: { title: "Photographs" } },
    { path: "/people/:id/assess", component: () => import("./pages/ChoosePage.vue"), props: true, meta: { title: "Choose a test" } },
    { path: "/people/:id/assess/:protocol", component: () => import("./pages/AssessPage.vue"), props: true, meta: { title: "Set up" } },
    { path: "/people/:id/vo2max", component: () => import("./pages/BestPage.vue"), props: true, meta: { title: "Best VO₂max" } },
    {
      path: "/people/:id/trend/:protocol/:quantity",
      component: () => import("./pages/TrendPage.vue"),
      props: true,
      meta: { title: "Trend" },
    },
    {
      path: "/people/:id/visits",
      component: () => import("./pages/BatteryChoicePage.vue"),
      props: true,
      meta: { title: "Which battery?" },
    },
    {
      path: "/people/:id/visits/new",
      component: () => import("./pages/VisitNewPage.vue"),
      props: (to) => ({ id: to.params.id, battery: to.query.battery }),
      beforeEnter: (to) => (to.query.battery ? true : `/people/${String(to.params.id)}/visits`),
      meta: { title: "A visit" },
    },
    { path: "/visits/:id", component: () => import("./pages/VisitPage.vue"), props: true, meta: { title: "Visit" } },
    { path: "/visits/:id/paper", component: () => import("./pages/VisitPaperPage.vue"), props: true, meta: { title: "Visit from paper" } },
    { path: "/visits/:id/floor", component: () => import("./pages/VisitFloorPage.vue"), props: true, meta: { bare: true, title: "Visit" } },
    { path: "/runs/:id", component: () => import("./pages/FloorPage.vue"), props: true, meta: { bare: true, title: "Test" } },
    {
      path: "/people/:id/enter/:protocol",
      component: () => import("./pages/EntryPage.vue"),
      props: true,
      meta: { title: "Enter a result" },
    },
    {
      path: "/report/:token",
      component: () => import("./pages/ReportPage.vue"),
      props: true,
      meta: { open: true, bare: true, title: "Your results" },
    },
    {
      path: "/self/:token",
      component: () => import("./pages/SelfEntryPage.vue"),
      props: true,
      meta: { open: true, bare: true, title: "Your tests" },
    },
    { path: "/from-afar", component: () => import("./pages/WaitingRoomPage.vue"), meta: { title: "Results from afar" } },
    { path: "/join", component: () => import("./pages/JoinPage.vue"), meta: { open: true, bare: true, title: "Join" } },
    {
      path: "/join/:code",
      component: () => import("./pages/PartnerPage.vue"),
      props: true,
      meta: { open: true, bare: true, title: "Partner" },
    },
    { path: "/classes/new", component: () => import("./pages/ClassPage.vue"), meta: { title: "A class in pairs" } },
    { path: "/classes/:id", component: () => import("./pages/ClassResultsPage.vue"), props: true, meta: { title: "Class results" } },
    { path: "/rehearsals/new", component: () => import("./pages/RehearsePage.vue"), meta: { title: "Rehearsal" } },
    { path: "/rehearsals/:id", component: () => import("./pages/RehearsalReportPage.vue"), props: true, meta: { title: "Rehearsal" } },
    {
      path: "/results/:result/correct",
      component: () => import("./pages/EntryPage.vue"),
      props: true,
      meta: { title: "Correct a result" },
    },
    { path: "/results/:id", component: () => import("./pages/ResultPage.vue"), props: true, meta: { title: "Result" } },
    { path: "/retests", component: () => import("./pages/RetestsPage.vue"), meta: { title: "Retests" } },
    { path: "/tests", component: () => import("./pages/LibraryPage.vue"), meta: { title: "Test library" } },
    { path: "/tests/:id", component: () => import("./pages/MethodPage.vue"), props: true, meta: { title: "Test" } },
    { path: "/batteries", component: () => import("./pages/BatteriesPage.vue"), meta: { title: "Batteries" } },
    {
      path: "/batteries/:id",
      component: () => import("./pages/BatteryEditPage.vue"),
      props: (to) => ({ id: to.params.id, from: to.query.from }),
      meta: { title: "A battery" },
    },
    { path: "/batteries/:id/points", component: () => import("./pages/ScoringPage.vue"), props: true, meta: { title: "Points" } },
    { path: "/practice", component: () => import("./pages/PracticePage.vue"), meta: { title: "Practice" } },
    { path: "/:rest(.*)*", component: () => import("./pages/LostPage.vue"), meta: { title: "Not found" } },
  ],
});

router.beforeEach(async (to) => {
  const session = useSession();
  const signedIn = await session.known();
  if (signedIn === "no" && !to.meta.open) return { path: "/sign-in", query: { to: to.fullPath } };
  if (signedIn === "yes" && to.path === "/sign-in") return "/";
  // Before the second factor is set up nothing else of the practice opens.
  if (session.info?.lacks_second_factor && !to.meta.open && to.path !== "/second-factor") return "/second-factor";
  return true;
});

/** A part of a page that could not be fetched once is not tried again by the browser: the page is opened anew instead. */
router.onError((error: Error, to) => {
  if (navigator.onLine && /dynamically imported module|module script/.test(error.message)) window.location.assign(to.fullPath);
});

router.afterEach((to) => {
  document.title = `${to.meta.title} · Impulso`;
});
