let factor = 1;

/**
 * Sets how many times longer than usual answers are waited for, where a machine is slow or stands still at times
 * (`AMBER_PATIENCE`).
 */
export function setPatience(times: number): void {
  factor = times;
}

/** The time that something may take here, in milliseconds, from the time that it may take on a usual machine. */
export function patient(milliseconds: number): number {
  return milliseconds * factor;
}
