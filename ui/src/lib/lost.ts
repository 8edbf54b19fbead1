import { ElMessage } from "element-plus";

/** Say what went with a change, where something did. */
export function sayLost(changed: string, lost: readonly string[]): void {
  if (lost.length)
    ElMessage({ message: `${changed}, and has no more: ${lost.join(", ")}.`, duration: 6000, showClose: true });
}
