/** Files dropped where they cannot be used yet, on their way to the shot that is made for them. */
import { shallowRef } from "vue";

export const carried = shallowRef<File[]>([]);
