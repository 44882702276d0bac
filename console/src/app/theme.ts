import { ref } from "vue";

const KEY = "openlatch-theme";
const dark = ref(document.documentElement.dataset.theme === "dark");

/** The theme, and a way to change it that this browser remembers. */
export function useTheme() {
  return {
    dark,
    toggle(): void {
      dark.value = !dark.value;
      document.documentElement.dataset.theme = dark.value ? "dark" : "light";
      try {
        localStorage.setItem(KEY, dark.value ? "dark" : "light");
      } catch {
        // Without storage the choice lasts until the page is closed.
      }
    },
  };
}
