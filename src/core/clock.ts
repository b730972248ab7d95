/** Time as the core sees it; it is handed one, so that tests can hand it another. */
export interface Clock {
  /** Milliseconds since some fixed moment. */
  now(): number;
  /** Calls `action` once after `milliseconds`; the returned function prevents it. */
  after(milliseconds: number, action: () => void): () => void;
}
