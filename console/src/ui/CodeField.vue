<script setup lang="ts">
import { autocompletion, completionKeymap, type CompletionContext } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { bracketMatching, HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, lineNumbers, placeholder as shadowText } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { onBeforeUnmount, onMounted, ref, watch } from "vue";
import { conditions } from "./conditions";

/** Code that is written: the policy as TOML, or a condition; coloured, with its names proposed while one types. */
const text = defineModel<string>({ required: true });
const props = defineProps<{
  label: string;
  language: "toml" | "condition";
  /** names that are proposed, each with what it says */
  names?: readonly { path: string; says: string }[];
  placeholder?: string;
}>();
const emit = defineEmits<{ cursor: [place: number] }>();
const host = ref<HTMLElement>();
let view: EditorView | undefined;

function proposed(context: CompletionContext) {
  const word = context.matchBefore(/[a-z_.]+/);
  if (!word || (word.from === word.to && !context.explicit)) return null;
  return {
    from: word.from,
    options: (props.names ?? []).map((one) => ({ label: one.path, detail: one.says })),
    validFor: /^[a-z_.]*$/,
  };
}
const colours = HighlightStyle.define([
  { tag: tags.comment, color: "var(--mute)" },
  { tag: tags.string, color: "var(--good)" },
  { tag: [tags.number, tags.bool, tags.atom], color: "var(--medium)" },
  { tag: [tags.keyword, tags.operator], color: "var(--high)" },
  { tag: [tags.propertyName, tags.variableName, tags.heading], color: "var(--act)" },
]);
const look = EditorView.theme({
  "&": {
    height: "100%",
    backgroundColor: "var(--sheet)",
    color: "var(--ink)",
    fontSize: "var(--text-small)",
  },
  ".cm-scroller": { fontFamily: '"Geist Mono Variable", monospace', lineHeight: "18px", overflow: "auto" },
  ".cm-content": { caretColor: "var(--ink)" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  ".cm-gutters": { backgroundColor: "var(--sheet)", color: "var(--mute)", border: "none" },
  "&.cm-focused": { outline: "2px solid var(--act)" },
  ".cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground": {
    backgroundColor: "color-mix(in oklch, var(--act) 26%, transparent)",
  },
  ".cm-placeholder": { color: "var(--mute)" },
  ".cm-tooltip": { backgroundColor: "var(--sheet)", color: "var(--ink)", border: "1px solid var(--rule)" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": { backgroundColor: "var(--act)", color: "var(--paper)" },
  ".cm-completionDetail": { color: "inherit", fontStyle: "normal", opacity: "0.85" },
});

onMounted(() => {
  if (!host.value) return;
  // In a shadow of its own its styles are sheets of their own: no inline style is let in here.
  const root = host.value.attachShadow({ mode: "open" });
  const whole = props.language === "toml";
  view = new EditorView({
    root,
    parent: root as unknown as Element,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        history(),
        whole ? lineNumbers() : EditorView.lineWrapping,
        StreamLanguage.define(whole ? toml : conditions),
        syntaxHighlighting(colours),
        bracketMatching(),
        autocompletion({ override: [proposed] }),
        // Tab goes on to the next field: nobody is held in here.
        keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
        EditorView.contentAttributes.of({ "aria-label": props.label, spellcheck: "false", tabindex: "0" }),
        ...(props.placeholder ? [shadowText(props.placeholder)] : []),
        look,
        EditorView.updateListener.of((update) => {
          if (update.docChanged) text.value = update.state.doc.toString();
          if (update.selectionSet || update.docChanged) emit("cursor", update.state.selection.main.head);
        }),
      ],
    }),
  });
});
onBeforeUnmount(() => view?.destroy());
watch(text, (now) => {
  const there = view?.state.doc.toString();
  if (view && there !== now) view.dispatch({ changes: { from: 0, to: there?.length ?? 0, insert: now } });
});

/** Go to a place of the text, and show it. */
function go(place: number): void {
  if (!view) return;
  const at = Math.min(place, view.state.doc.length);
  view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
  view.focus();
}
/** Write something where the cursor is. */
function insert(piece: string): void {
  if (!view) return;
  view.dispatch(view.state.replaceSelection(piece));
  view.focus();
}
defineExpose({ go, insert });
</script>

<template>
  <div ref="host" class="overflow-hidden rounded-md border border-rule"></div>
</template>
