import { onBeforeUnmount, ref, type Ref } from "vue";

/** The present, renewed every so many milliseconds, for whatever says how long ago something was. */
export function useNow(every = 20_000): Ref<number> {
  const now = ref(Date.now());
  const timer = setInterval(() => (now.value = Date.now()), every);
  onBeforeUnmount(() => clearInterval(timer));
  return now;
}
