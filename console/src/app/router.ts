import { createRouter, createWebHistory } from "vue-router";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    {
      path: "/",
      component: () => import("@/features/today/TodayPage.vue"),
      meta: { title: "Today" },
    },
    {
      path: "/sign-in",
      component: () => import("@/features/people/SignInPage.vue"),
      meta: { bare: true, title: "Sign in" },
    },
    {
      path: "/found",
      component: () => import("@/features/people/FoundPage.vue"),
      meta: { bare: true, title: "Found a workspace" },
    },
    {
      path: "/signed-on",
      component: () => import("@/features/people/SignedOnPage.vue"),
      meta: { bare: true, title: "Back from single sign-on" },
    },
    {
      path: "/forgotten",
      component: () => import("@/features/people/ForgottenPage.vue"),
      meta: { bare: true, title: "Forgot your password?" },
    },
    {
      path: "/link",
      component: () => import("@/features/people/LinkPage.vue"),
      meta: { bare: true, title: "Your link" },
    },
    {
      path: "/people",
      component: () => import("@/features/people/PeoplePage.vue"),
      meta: { title: "People" },
    },
    {
      path: "/me",
      component: () => import("@/features/people/MyAccountPage.vue"),
      meta: { title: "My account" },
    },
    {
      path: "/answer/:link",
      component: () => import("@/features/letting_in/AnswerPage.vue"),
      meta: { bare: true, title: "A question for you" },
    },
    {
      path: "/inventory",
      component: () => import("@/features/inventory/InventoryPage.vue"),
      meta: { title: "Inventory" },
    },
    {
      path: "/mine",
      component: () => import("@/features/letting_in/MyAccessPage.vue"),
      meta: { title: "My access" },
    },
    {
      path: "/entries/:entry",
      component: () => import("@/features/inventory/EntryPage.vue"),
      meta: { title: "Entry" },
    },
    {
      path: "/accounts",
      component: () => import("@/features/inventory/accounts/AccountsPage.vue"),
      meta: { title: "Accounts" },
    },
    {
      path: "/accounts/:account",
      component: () => import("@/features/inventory/accounts/AccountPage.vue"),
      meta: { title: "Account" },
    },
    {
      path: "/activity",
      component: () => import("@/features/inventory/activity/ActivityPage.vue"),
      meta: { title: "Activity" },
    },
    {
      path: "/apps",
      component: () => import("@/features/inventory/parties/AppsPage.vue"),
      meta: { title: "Apps" },
    },
    {
      path: "/parties",
      component: () => import("@/features/inventory/parties/PartiesPage.vue"),
      meta: { title: "Parties" },
    },
    {
      path: "/parties/perhaps-the-same",
      component: () => import("@/features/inventory/parties/PerhapsTheSamePage.vue"),
      meta: { title: "Perhaps the same" },
    },
    {
      path: "/parties/:party",
      component: () => import("@/features/inventory/parties/PartyPage.vue"),
      meta: { title: "Party" },
    },
    {
      path: "/providers/describe",
      component: () => import("@/features/providers/DescribePage.vue"),
      meta: { title: "Describe a provider" },
    },
    {
      path: "/providers/:provider",
      component: () => import("@/features/providers/ProviderPage.vue"),
      meta: { title: "Provider" },
    },
    {
      path: "/providers/:provider/import",
      component: () => import("@/features/inventory/imports/ImportPage.vue"),
      props: true,
      meta: { title: "Import a list" },
    },
    {
      path: "/flags",
      component: () => import("@/features/rules/FlagsPage.vue"),
      meta: { title: "Flags" },
    },
    {
      path: "/policy",
      component: () => import("@/features/rules/RulesPage.vue"),
      meta: { title: "Policy" },
    },
    {
      path: "/policy/rules/new",
      component: () => import("@/features/rules/NewRulePage.vue"),
      meta: { title: "New rule" },
    },
    {
      path: "/policy/rules/:rule",
      component: () => import("@/features/rules/RulePage.vue"),
      meta: { title: "Rule" },
    },
    {
      path: "/reviews",
      component: () => import("@/features/reviews/ReviewsPage.vue"),
      meta: { title: "Reviews" },
    },
    {
      path: "/rounds/:round",
      component: () => import("@/features/reviews/RoundPage.vue"),
      meta: { title: "Round" },
    },
    {
      path: "/holders",
      component: () => import("@/features/people/HoldersPage.vue"),
      meta: { title: "Your workspaces" },
    },
    {
      path: "/ask",
      component: () => import("@/features/letting_in/AskPage.vue"),
      meta: { bare: true, title: "Ask for access" },
    },
    {
      path: "/offers",
      component: () => import("@/features/letting_in/OffersPage.vue"),
      meta: { title: "Offers and requests" },
    },
    {
      path: "/offers/new",
      component: () => import("@/features/letting_in/NewOfferPage.vue"),
      meta: { title: "Let someone in" },
    },
    {
      path: "/what-if",
      component: () => import("@/features/what_if/ProposalsPage.vue"),
      meta: { title: "What-if" },
    },
    {
      path: "/what-if/:proposal",
      component: () => import("@/features/what_if/ProposalPage.vue"),
      meta: { title: "What-if" },
    },
    {
      path: "/webhooks",
      component: () => import("@/features/telling/WebhooksPage.vue"),
      meta: { title: "Webhooks" },
    },
    {
      path: "/told",
      component: () => import("@/features/telling/NoticesPage.vue"),
      meta: { title: "Notices" },
    },
    {
      path: "/orders",
      component: () => import("@/features/orders/OrdersPage.vue"),
      meta: { title: "Orders" },
    },
    {
      path: "/batches",
      component: () => import("@/features/taking_back/BatchesPage.vue"),
      meta: { title: "Batches" },
    },
    {
      path: "/batches/:batch",
      component: () => import("@/features/taking_back/BatchPage.vue"),
      meta: { title: "Batch" },
    },
    {
      path: "/leavers",
      component: () => import("@/features/taking_back/LeaversPage.vue"),
      meta: { title: "Leavers" },
    },
    {
      path: "/parties/:party/leaving",
      component: () => import("@/features/taking_back/LeaverPage.vue"),
      meta: { title: "Leaver" },
    },
    {
      path: "/providers",
      component: () => import("@/features/providers/ProvidersPage.vue"),
      meta: { title: "Providers" },
    },
    {
      path: "/settings",
      component: () => import("@/features/people/SettingsPage.vue"),
      meta: { title: "Settings" },
    },
    { path: "/log", component: () => import("@/features/record/LogPage.vue"), meta: { title: "Log" } },
    {
      path: "/service",
      component: () => import("@/features/running/ServicePage.vue"),
      meta: { title: "Service" },
    },
    {
      path: "/:rest(.*)*",
      component: () => import("@/app/NothingHere.vue"),
      meta: { title: "Page not found" },
    },
  ],
});

router.afterEach((to) => {
  document.title = `${String(to.meta.title ?? "")} · Open Latch`;
});
