<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";
import { api, take } from "@/api/client";
import { useSession } from "@/api/session";
import SidePanel from "@/ui/SidePanel.vue";
import { useQueryParams } from "@/ui/useQueryParams";
import SignOnForm from "./SignOnForm.vue";
import SignOns from "./SignOns.vue";
import WorkspaceForm from "./WorkspaceForm.vue";

/** What is set once for the workspace, and where the rest is set. */
const session = useSession();
const { me } = session;
const { param, go } = useQueryParams();
const signOn = param("sign-on");
const maySeeSignOns = session.may("sign_ons.browse");
const mayChangeSignOns = session.may("sign_ons.add");
const maySeeWebhooks = session.may("webhooks.browse");
const maySeeService = session.may("service.show");
const webhooks = useQuery({
  queryKey: ["webhooks"],
  queryFn: () => take(api.GET("/webhooks")),
  enabled: maySeeWebhooks,
});
const sent = computed(() => {
  const items = webhooks.data.value?.items ?? [];
  const troubled = items.filter((one) => one.attempts > 0).length;
  if (!webhooks.data.value) return "";
  if (!items.length) return "None.";
  return `${items.length}${troubled ? `, ${troubled} of them not answering` : ""}.`;
});
const domains = computed(() => me.value?.workspace.circle_domains ?? []);
</script>

<template>
  <section class="h-full overflow-auto px-[26px] pt-5 pb-8 max-sm:px-4" aria-label="Settings" tabindex="0">
    <h1>Settings</h1>
    <p class="mt-[5px] max-w-2xl text-mute">
      For {{ me?.workspace.name }}. Your own name, password and sessions are in
      <RouterLink class="link" to="/me">My account</RouterLink>, your letters and calendar in
      <RouterLink class="link" to="/told">Notices</RouterLink>.
    </p>
    <WorkspaceForm />
    <h2 class="section max-w-3xl">Your own domains</h2>
    <p class="max-w-2xl">
      <template v-if="domains.length">
        <b v-for="(one, place) in domains" :key="one" class="font-[620]"
          >{{ one }}<template v-if="place < domains.length - 1">, </template></b
        >. Whoever has an address there is in your circle; everyone else is outside.
      </template>
      <template v-else>None yet: everyone counts as outside your circle.</template>
      They are set in the <RouterLink class="link" to="/policy?show=policy">policy</RouterLink>, with single
      teams and parties.
    </p>
    <SignOns v-if="maySeeSignOns" @open="(id) => go({ 'sign-on': id })" />
    <template v-if="maySeeWebhooks">
      <h2 class="section max-w-3xl">Webhooks</h2>
      <p class="max-w-2xl">
        Addresses that are sent what happens: {{ sent }}
        <RouterLink class="link" to="/webhooks">See and change webhooks</RouterLink>
      </p>
    </template>
    <h2 class="section max-w-3xl">Mail</h2>
    <p v-if="me" class="max-w-2xl">
      <template v-if="me.workspace.sends_letters">
        Letters are sent: invitations, offers, reminders and notices. When you get yours is set in
        <RouterLink class="link" to="/told">Notices</RouterLink>.
      </template>
      <template v-else>
        No mail server is set, so no letter is sent, and nobody can be invited by one. Whoever runs the
        service sets
        <code class="font-mono text-small">OPENLATCH_MAIL_URL</code> and
        <code class="font-mono text-small">OPENLATCH_MAIL_FROM</code>.
      </template>
    </p>
    <template v-if="maySeeService">
      <h2 class="section max-w-3xl">Service</h2>
      <p class="max-w-2xl">
        Whether all of it runs: <RouterLink class="link" to="/service">how the service stands</RouterLink>.
      </p>
    </template>
    <h2 class="section max-w-3xl">Proof</h2>
    <p class="max-w-2xl">
      Receipts, reports and the head of the log are signed. With the
      <a class="link" href="/api/v1/receipt-keys" download="keys.json">public keys</a> anyone can verify them
      without asking. The signed head of the log is on the page
      <RouterLink class="link" to="/log">Log</RouterLink>.
    </p>
    <p class="mt-5 font-mono text-small text-mute">
      openlatch workspace show; openlatch sign-on list; openlatch webhook list; openlatch receipt keys
    </p>
    <SidePanel
      v-if="signOn && mayChangeSignOns"
      :key="signOn"
      label="Single sign-on"
      @close="go({ 'sign-on': '' })"
    >
      <SignOnForm :of="signOn" @close="go({ 'sign-on': '' })" />
    </SidePanel>
  </section>
</template>
