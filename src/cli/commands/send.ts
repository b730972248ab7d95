import { readFileSync } from 'node:fs';
import { AmberError } from '../../core/errors.js';
import { projectFolder } from '../../core/project/project.js';
import { ProjectFile } from '../../core/project/project-file.js';
import type { RequestSpec } from '../../core/requests/request.js';
import { requestFrom } from '../../core/requests/written.js';
import { standardOutput } from '../context.js';
import { perform } from '../perform-request.js';
import { responseText } from '../render/response.js';

/** Milliseconds without an answer after which that is said. */
const PROGRESS_AFTER = 1_000;

export interface SendOptions {
  json?: boolean;
  header?: string[];
  data?: string;
  form?: string[];
}

/**
 * `amber send NAME | [METHOD] URL`: sends a request of amber.yaml, or one given in full, with a trace context.
 * @returns the exit code: 1 when no answer comes, or it is not what amber.yaml expects
 */
export async function send(words: string[], options: SendOptions): Promise<number> {
  const output = standardOutput(options.json === true);
  const request = requestOf(words, options);
  const waiting = setTimeout(
    () => output.remark(output.palette.faint(`▸ ${request.method} ${request.url}: no answer yet`)),
    PROGRESS_AFTER,
  );
  const response = await perform(request);
  clearTimeout(waiting);
  output.tell({ kind: 'response', ...response }, () =>
    responseText(response, { palette: output.palette, width: output.width, here: process.cwd() }),
  );
  return response.status === null || (response.faults ?? []).length > 0 ? 1 : 0;
}

function requestOf(words: string[], options: SendOptions): RequestSpec {
  const changes = {
    ...(options.header ? { headers: Object.fromEntries(options.header.map(readHeader)) } : {}),
    ...(options.data === undefined ? {} : { body: readData(options.data) }),
    ...(options.form ? { form: Object.fromEntries(options.form.map(readField)) } : {}),
  };
  if (options.data !== undefined && options.form !== undefined) {
    throw new AmberError('AL_USAGE', '--data and --form are two bodies', 'give one of them');
  }
  const { requests } = ProjectFile.read(projectFolder(process.cwd())).settings;
  return requestFrom(words, requests, changes);
}

function readHeader(text: string): [string, string] {
  const colon = text.indexOf(':');
  if (colon < 1) {
    throw new AmberError('AL_USAGE', `${JSON.stringify(text)} is no header`, "--header 'Accept: text/html'");
  }
  return [text.slice(0, colon).trim(), text.slice(colon + 1).trim()];
}

function readField(text: string): [string, string] {
  const equals = text.indexOf('=');
  if (equals < 1) {
    throw new AmberError('AL_USAGE', `${JSON.stringify(text)} is no field`, '--form name=Ada');
  }
  return [text.slice(0, equals), text.slice(equals + 1)];
}

/** `@FILE` is what the file holds, which may be `-` for the standard input. */
function readData(text: string): string {
  if (!text.startsWith('@')) {
    return text;
  }
  const path = text.slice(1);
  try {
    return readFileSync(path === '-' ? 0 : path, 'utf8');
  } catch {
    throw new AmberError('AL_USAGE', `${path} cannot be read`, '--data @FILE sends what a file holds');
  }
}
