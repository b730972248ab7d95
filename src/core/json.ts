/** What a text of JSON stands for; undefined where it is none, which no schema takes. */
export function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
