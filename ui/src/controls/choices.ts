/** What may be chosen: a value, its word, and a sentence on it. */
export type Option<T> = readonly [value: T, word: string, why?: string, disabled?: boolean];

export interface OptionGroup<T> {
  label: string;
  options: readonly Option<T>[];
}
