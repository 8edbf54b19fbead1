/** Files dropped anywhere on the page are brought in, and never make the browser leave it. */
import { useEventListener } from "@vueuse/core";

export function useDrops(files: (files: File[]) => void): void {
  useEventListener(window, "dragover", (event) => event.preventDefault());
  useEventListener(window, "drop", (event) => {
    const dropped = [...(event.dataTransfer?.files ?? [])];
    if (!event.defaultPrevented && dropped.length) files(dropped);
    event.preventDefault();
  });
}
