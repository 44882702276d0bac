<script setup lang="ts" generic="Choice extends { key: string; name: string; detail?: string }">
import {
  Combobox,
  ComboboxButton,
  ComboboxInput,
  ComboboxLabel,
  ComboboxOption,
  ComboboxOptions,
} from "@headlessui/vue";
import { computed } from "vue";

/**
 * Choosing one of many known things by typing part of its name; what is found is looked up by whoever uses this.
 * One that is `free` takes what is typed as it is, too.
 */
const props = defineProps<{
  chosen: Choice | null;
  choices: Choice[];
  label: string;
  placeholder?: string;
  /** whether it is being looked up */
  busy?: boolean;
  /** whether there are more than are listed */
  more?: boolean;
  required?: boolean;
  disabled?: boolean;
  /** whether what is typed counts, though it is none of the choices */
  free?: boolean;
  name?: string;
  /** whether its name is said, and not shown */
  bare?: boolean;
}>();
const emit = defineEmits<{
  choose: [choice: Choice];
  clear: [];
  search: [text: string];
  type: [text: string];
}>();
/** What was typed into a free field, unless it is one of the choices. */
const ownText = computed(() =>
  props.free && props.chosen && !props.choices.some((one) => one.key === props.chosen?.key)
    ? props.chosen
    : null,
);
/** The choices, first the one that is just what was typed. */
const listed = computed(() => {
  const exact = (one: Choice): boolean => one.key === props.chosen?.key;
  return props.free
    ? [...props.choices.filter(exact), ...props.choices.filter((one) => !exact(one))]
    : props.choices;
});
function typed(text: string): void {
  if (props.free) emit("type", text);
  else if (!text) emit("clear");
  emit("search", text);
}
/**
 * Enter goes on with the form when it takes just what was typed, as in any other field; whether what is known has
 * arrived by then makes no difference.
 */
async function entered(event: KeyboardEvent, active: Choice | null): Promise<void> {
  if (!props.free || (active && active.key !== props.chosen?.key)) return;
  const { form } = event.target as HTMLInputElement;
  // Once all who listen have heard of it: between two of them, what was promised is carried out already.
  await new Promise((done) => setTimeout(done));
  if (event.defaultPrevented) form?.requestSubmit();
}
const nameOf = (choice: unknown): string => (choice as Choice | null)?.name ?? "";
</script>

<template>
  <Combobox
    v-slot="{ activeOption }"
    as="div"
    class="relative"
    :model-value="chosen"
    by="key"
    :disabled="disabled"
    @update:model-value="(choice: Choice | null) => choice && choice !== ownText && emit('choose', choice)"
  >
    <ComboboxLabel :class="bare ? 'sr-only' : 'small mb-1 block'">{{ label }}</ComboboxLabel>
    <span class="relative block">
      <ComboboxInput
        class="field w-full pr-8"
        :display-value="nameOf"
        :placeholder="placeholder"
        :required="required"
        :name="name"
        autocapitalize="none"
        autocomplete="off"
        spellcheck="false"
        maxlength="320"
        @change="typed(($event.target as HTMLInputElement).value)"
        @blur="emit('search', '')"
        @keydown.enter.capture="entered($event, activeOption as Choice | null)"
      />
      <ComboboxButton class="absolute top-0 right-0 h-full px-2 text-mute" aria-label="show all">
        <svg viewBox="0 0 10 6" class="w-[10px]" aria-hidden="true">
          <path d="M1 1l4 4 4-4" fill="none" stroke="currentColor" stroke-width="1.4" />
        </svg>
      </ComboboxButton>
    </span>
    <ComboboxOptions
      v-if="!free || choices.length"
      class="absolute z-20 mt-1 max-h-[320px] w-full min-w-[280px] overflow-auto border border-line bg-paper py-1 shadow-lg"
    >
      <!-- What was typed comes first, so that Enter takes it and nobody else. -->
      <ComboboxOption v-if="ownText" v-slot="{ active }" :value="ownText">
        <div class="cursor-pointer px-3 py-[5px] text-plain" :class="active ? 'bg-act text-paper' : ''">
          “{{ ownText.name }}” <span :class="active ? '' : 'text-mute'">as you typed it</span>
        </div>
      </ComboboxOption>
      <ComboboxOption v-for="one in listed" :key="one.key" v-slot="{ active, selected }" :value="one">
        <div class="cursor-pointer px-3 py-[5px] text-plain" :class="active ? 'bg-act text-paper' : ''">
          <span class="break-words" :class="selected ? 'font-[620]' : ''">{{ one.name }}</span>
          <span v-if="one.detail" class="block text-small" :class="active ? '' : 'text-mute'">{{
            one.detail
          }}</span>
        </div>
      </ComboboxOption>
      <li
        v-if="!choices.length && !(free && !busy)"
        class="px-3 py-[5px] text-plain text-mute"
        role="presentation"
      >
        {{ busy ? "Loading…" : "Nothing matches." }}
      </li>
      <li v-else-if="more" class="px-3 py-[5px] text-small text-mute" role="presentation">
        There are more; type a part of its name.
      </li>
    </ComboboxOptions>
  </Combobox>
</template>
