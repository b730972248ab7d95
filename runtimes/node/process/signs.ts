import { catchesSignal } from '../../../src/targets/linux.js';

/** What is seen of a Node process's inspector without talking to it. */

/** SIGUSR1, at which Node opens its inspector (Node's documentation, "Command-line options", --inspect). */
export const WAKE_SIGNAL = 10;
/** Where an inspector opens unless the program was told otherwise. */
export const DEFAULT_PORT = 9229;

/** Whether Node's handler for the signal is there; a process without one would be ended by it. */
export function canOpenInspector(pid: number): boolean {
  return catchesSignal(pid, WAKE_SIGNAL);
}

/** Whether a command line asks for an inspector from the start. */
export function asksForInspector(command: string): boolean {
  return /--inspect(?!-port)\b/.test(command);
}
