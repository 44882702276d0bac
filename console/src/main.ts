import { QueryClient, VueQueryPlugin } from "@tanstack/vue-query";
import { createApp } from "vue";
import { Problem } from "@/api/problem";
import App from "@/app/App.vue";
import { router } from "@/app/router";
import "@/styles/main.css";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // Nobody changes what was answered; watching each of a hundred thousand rows would cost more than drawing them.
      shallow: true,
      // Only what may be otherwise a moment later is asked again.
      retry: (count, error) => count < 2 && error instanceof Problem && error.status >= 502,
    },
  },
});

const app = createApp(App).use(router).use(VueQueryPlugin, { queryClient: queries });
// Before the address is resolved nobody could be brought back to it after signing in.
await router.isReady();
app.mount("#app");
