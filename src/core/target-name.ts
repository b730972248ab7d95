/** A target as records tell it apart, and as people read it. */
export interface TargetName {
  /** `python:4711`. */
  id: string;
  /** `fares`. */
  name: string;
}
