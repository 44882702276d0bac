import { onBeforeUnmount, onMounted, ref, type Ref } from "vue";

/** Whether what is inside a frame is wider than the frame, as long as both are shown. */
export function useScrolls(
  frame: Ref<HTMLElement | undefined>,
  inside: Ref<HTMLElement | undefined>,
): Ref<boolean> {
  const scrolls = ref(false);
  let watching: ResizeObserver | undefined;
  onMounted(() => {
    // Where nothing is laid out, as in tests of components, nothing scrolls.
    if (typeof ResizeObserver === "undefined") return;
    watching = new ResizeObserver(() => {
      const element = frame.value;
      scrolls.value = !!element && element.scrollWidth > element.clientWidth + 1;
    });
    for (const element of [frame.value, inside.value]) if (element) watching.observe(element);
  });
  onBeforeUnmount(() => watching?.disconnect());
  return scrolls;
}
