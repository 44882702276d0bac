<script setup lang="ts" generic="Choice extends { key: string; name: string; detail?: string }">
import {
  Combobox,
  ComboboxButton,
  ComboboxInput,
  ComboboxLabel,
  ComboboxOption,
  ComboboxOptions,
} from "@headlessui/vue";

/** Choosing one of many known things by typing part of its name; what is found is looked up by whoever uses this. */
defineProps<{
  chosen: Choice | null;
  choices: Choice[];
  label: string;
  placeholder?: string;
  /** whether it is being looked up */
  busy?: boolean;
  /** whether there are more than are listed */
  more?: boolean;
  required?: boolean;
  /** whether its name is said, and not shown */
  bare?: boolean;
}>();
const emit = defineEmits<{ choose: [choice: Choice]; search: [text: string] }>();
const nameOf = (choice: unknown): string => (choice as Choice | null)?.name ?? "";
</script>

<template>
  <Combobox
    as="div"
    class="relative"
    :model-value="chosen"
    by="key"
    @update:model-value="(choice: Choice | null) => choice && emit('choose', choice)"
  >
    <ComboboxLabel :class="bare ? 'sr-only' : 'small mb-1 block'">{{ label }}</ComboboxLabel>
    <span class="relative block">
      <ComboboxInput
        class="field w-full pr-8"
        :display-value="nameOf"
        :placeholder="placeholder"
        :required="required"
        autocomplete="off"
        spellcheck="false"
        maxlength="200"
        @change="emit('search', ($event.target as HTMLInputElement).value)"
        @blur="emit('search', '')"
      />
      <ComboboxButton class="absolute top-0 right-0 h-full px-2 text-mute" aria-label="show all">
        <svg viewBox="0 0 10 6" class="w-[10px]" aria-hidden="true">
          <path d="M1 1l4 4 4-4" fill="none" stroke="currentColor" stroke-width="1.4" />
        </svg>
      </ComboboxButton>
    </span>
    <ComboboxOptions
      class="absolute z-20 mt-1 max-h-[320px] w-full min-w-[280px] overflow-auto border border-line bg-paper py-1 shadow-lg"
    >
      <ComboboxOption v-for="one in choices" :key="one.key" v-slot="{ active, selected }" :value="one">
        <div class="cursor-pointer px-3 py-[5px] text-plain" :class="active ? 'bg-act text-paper' : ''">
          <span class="break-words" :class="selected ? 'font-[620]' : ''">{{ one.name }}</span>
          <span v-if="one.detail" class="block text-small" :class="active ? '' : 'text-mute'">{{
            one.detail
          }}</span>
        </div>
      </ComboboxOption>
      <li v-if="!choices.length" class="px-3 py-[5px] text-plain text-mute" role="presentation">
        {{ busy ? "Loading…" : "Nothing matches." }}
      </li>
      <li v-else-if="more" class="px-3 py-[5px] text-small text-mute" role="presentation">
        There are more; type a part of its name.
      </li>
    </ComboboxOptions>
  </Combobox>
</template>
