import { closeSync, ftruncateSync, openSync, writeSync } from 'node:fs';
import { type WireLog, wireLogLine } from '../core/dap/wire-log.js';
import { AmberError, systemReason } from '../core/errors.js';
import type { Veil } from '../core/veil.js';
import { Output } from './render/output.js';
import { wantsColour } from './render/palette.js';

/** The Output of a command on this process's own streams; errors go to standard error. */
export function standardOutput(json: boolean): Output {
  return new Output({ ...streams(json), writeError: (text) => void process.stderr.write(text) });
}

/**
 * The Output of the prompt: an error is the result of a command and stands where results stand.
 * @param write where it goes, if not straight to standard output
 */
export function promptOutput(json: boolean, write?: (text: string) => void): Output {
  return new Output({ ...streams(json), ...(write ? { write } : {}) });
}

function streams(json: boolean) {
  return {
    json,
    colour: wantsColour(process.env, process.stdout.isTTY === true),
    width: () => process.stdout.columns,
    write: (text: string) => void process.stdout.write(text),
  };
}

/**
 * A wire log that writes to a file, and the function that closes it.
 * @throws AmberError `AL_USAGE` when the file cannot be written
 */
export function openWireLog(
  path: string | undefined,
  veil: Veil,
  failed: (error: AmberError) => void,
): { log?: WireLog; close: () => void } {
  if (path === undefined) {
    return { close: () => undefined };
  }
  const file = openFile(path, 'the wire log', failed);
  const start = performance.now();
  return {
    log: (direction, message) =>
      file.write(wireLogLine(performance.now() - start, direction, message, veil).trimEnd()),
    close: file.close,
  };
}

/** A file that is written a line at a time, so that it is whole up to the last one at any moment. */
export interface LineFile {
  write: (line: string) => void;
  close: () => void;
}

/**
 * A file that cannot be written any more, since the disk is full, ends with its last whole line: that is told to `failed`
 * once, and whatever comes later is not kept.
 * @throws AmberError `AL_USAGE` when it cannot be written at all; `what` is to go into it
 */
export function openFile(path: string, what: string, failed: (error: AmberError) => void): LineFile {
  const unwritable = (code: 'AL_USAGE' | 'AL_FILE', error: unknown, hint: string) =>
    new AmberError(code, `${what} cannot be written to ${path}: ${systemReason(error)}`, hint);
  let handle: number;
  try {
    handle = openSync(path, 'w', 0o600);
  } catch (error) {
    throw unwritable('AL_USAGE', error, 'name another file');
  }
  let isOpen = true;
  let size = 0;
  const write = (line: string) => {
    // The last messages of a connection may come after its log is closed.
    if (!isOpen) {
      return;
    }
    const bytes = Buffer.from(`${line}\n`);
    let at = 0;
    try {
      while (at < bytes.length) {
        at += writeSync(handle, bytes, at);
      }
      size += at;
    } catch (error) {
      size += bytes.subarray(0, at).lastIndexOf('\n') + 1;
      close();
      failed(unwritable('AL_FILE', error, 'what was written until then is whole'));
    }
  };
  const close = () => {
    if (isOpen) {
      isOpen = false;
      try {
        ftruncateSync(handle, size);
      } catch {
        // A pipe or a device has no end to be moved.
      }
      closeSync(handle);
    }
  };
  return { write, close };
}

/** Characters that wait to be written together. */
const CHUNK = 65_536;

/**
 * The same for very many lines: written in pieces, at the latest `within` milliseconds after they came.
 * @throws AmberError `AL_USAGE` when the file cannot be written; `what` is to go into it
 */
export function openBufferedFile(
  path: string,
  what: string,
  within: number,
  failed: (error: AmberError) => void,
): LineFile {
  const file = openFile(path, what, failed);
  let lines: string[] = [];
  let length = 0;
  const flush = () => {
    if (lines.length > 0) {
      file.write(lines.join('\n'));
      lines = [];
      length = 0;
    }
  };
  const timer = setInterval(flush, within);
  timer.unref();
  return {
    write: (line) => {
      lines.push(line);
      length += line.length;
      if (length >= CHUNK) {
        flush();
      }
    },
    close: () => {
      clearInterval(timer);
      flush();
      file.close();
    },
  };
}
