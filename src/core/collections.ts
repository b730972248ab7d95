/** Adds an item to the list that a map has under a key. */
export function appendTo<K, V>(lists: Map<K, V[]>, key: K, item: V): void {
  const list = lists.get(key);
  if (list === undefined) {
    lists.set(key, [item]);
  } else {
    list.push(item);
  }
}

/** Takes the entries that came first out of a map until it has no more than `most`. */
export function keepNewest(map: Map<unknown, unknown>, most: number): void {
  for (const key of map.keys()) {
    if (map.size <= most) {
      return;
    }
    map.delete(key);
  }
}
