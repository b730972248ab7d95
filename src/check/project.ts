import { existsSync, readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join, relative, resolve } from 'node:path';
import { AmberError } from '../core/errors.js';
import { type Finding, good, note, type Section, wrong } from '../core/finding.js';
import { parseLog, parseMark } from '../core/marks/grammar.js';
import { patient } from '../core/patience.js';
import { followLine } from '../core/project/follow.js';
import {
  type FileMark,
  PROJECT_FILE,
  ProjectFile,
  type ProjectSettings,
} from '../core/project/project-file.js';
import { buildRequest } from '../core/requests/request.js';
import { findFile, listFiles, type SearchFolders } from '../core/source/find.js';
import { splitLines } from '../core/source/text.js';
import { fittingTargets } from '../targets/find.js';
import type { Target } from '../targets/target.js';

/** Milliseconds in which a host has to take a connection. */
const LONGEST = 1_000;

/** This project: what amber.yaml says that does not hold. */
export async function checkProject(folders: SearchFolders, targets: readonly Target[]): Promise<Section> {
  const { project } = folders;
  const title = `this project, ${project}`;
  if (!existsSync(join(project, PROJECT_FILE))) {
    const found = `there is none; marks, requests and targets can be kept in ${join(project, PROJECT_FILE)}`;
    return { title, findings: [note(PROJECT_FILE, found)] };
  }
  let settings: ProjectSettings;
  try {
    ({ settings } = ProjectFile.read(project));
  } catch (error) {
    return { title, findings: [wrong(PROJECT_FILE, messageOf(error), hintOf(error))] };
  }
  const requests = await Promise.all(
    Object.entries(settings.requests).map(([name, request]) =>
      checkRequest(name, () => buildRequest(request).url),
    ),
  );
  return {
    title,
    findings: [
      good(PROJECT_FILE, 'can be read'),
      ...Object.entries(settings.targets).map(([name, wanted]) =>
        checkTarget(name, fittingTargets(targets, wanted, project)),
      ),
      ...settings.marks.map((mark, index) => checkMark(mark, index, folders)),
      ...requests,
      ...settings.paths.map((pair) => checkPaths(pair, project)),
    ],
  };
}

function checkTarget(name: string, fitting: readonly Target[]): Finding {
  const what = `target ${name}`;
  const [first, ...others] = fitting;
  if (first === undefined) {
    return wrong(what, 'does not run', 'start it: amber run -- COMMAND');
  }
  if (others.length > 0) {
    return note(what, `is ${fitting.map(({ name, pid }) => `${name} (process ${pid})`).join(' and ')}`);
  }
  return first.state === 'closed'
    ? wrong(
        what,
        `process ${first.pid} cannot be attached to: it ${first.reason}`,
        `amber check ${first.pid}`,
      )
    : good(what, `is process ${first.pid}, ${first.runtime} ${first.version}`);
}

/** A mark by line whose file is not here, or whose line has gone or holds nothing; one that cannot be read. */
function checkMark(mark: FileMark, index: number, folders: SearchFolders): Finding {
  const text = mark.break ?? mark.log ?? mark.count ?? '';
  const what = `mark ${index + 1}`;
  const edit = `edit marks.${index} in ${PROJECT_FILE}`;
  try {
    const { place } = mark.log === undefined ? parseMark(text) : parseLog(text);
    if (place.kind !== 'line') {
      return good(what, `${text}: is found when the code is loaded`);
    }
    const path = findFile(place.file, folders);
    const lines = splitLines(readFileSync(path, 'utf8').replace(/\n$/, ''));
    const here = relative(folders.current, path);
    const followed = followLine(lines, place.line, mark.text);
    if ('trouble' in followed) {
      return wrong(what, `${text}: ${followed.trouble}`, edit);
    }
    if (followed.line > lines.length) {
      return wrong(what, `${text}: ${here} has ${lines.length} lines`, edit);
    }
    const line = lines[followed.line - 1]?.trim() ?? '';
    return line === ''
      ? note(what, `${text}: the line is empty; it moves to the next with code`)
      : good(what, `${here}:${followed.line}  ${line}`);
  } catch (error) {
    return wrong(what, `${text}: ${messageOf(error)}`, hintOf(error) || edit);
  }
}

async function checkRequest(name: string, urlOf: () => string): Promise<Finding> {
  const what = `request ${name}`;
  try {
    const url = new URL(urlOf());
    const port = Number(url.port) || (url.protocol === 'https:' ? 443 : 80);
    const trouble = await connectionTrouble(url.hostname.replace(/^\[|\]$/g, ''), port);
    return trouble === undefined
      ? good(what, `${url.host} takes connections`)
      : wrong(
          what,
          `${url.host} does not answer: ${trouble}`,
          'start the service that listens there, or edit its url',
        );
  } catch (error) {
    return wrong(what, messageOf(error), hintOf(error));
  }
}

function connectionTrouble(host: string, port: number): Promise<string | undefined> {
  return new Promise((done) => {
    const socket = connect({ host, port, timeout: patient(LONGEST) });
    const end = (trouble?: string) => {
      socket.destroy();
      done(trouble);
    };
    socket.once('connect', () => end());
    socket.once('timeout', () => end('nothing comes back'));
    socket.once('error', (error: NodeJS.ErrnoException) => end(REASONS[error.code ?? ''] ?? error.message));
  });
}

const REASONS: Record<string, string> = {
  ECONNREFUSED: 'nothing listens there',
  ENOTFOUND: 'no host has this name',
  EAI_AGAIN: 'the name cannot be looked up now',
};

/** A mapping is of use when its folder is here and has files. */
function checkPaths({ local, remote }: { local: string; remote: string }, project: string): Finding {
  const folder = resolve(project, local);
  const what = `path ${local}`;
  if (!existsSync(folder)) {
    return wrong(
      what,
      `there is no folder ${folder}: nothing over there is found here`,
      `edit paths in ${PROJECT_FILE}`,
    );
  }
  const [first] = listFiles(folder);
  return first === undefined
    ? wrong(what, `${folder} holds no file: the mapping matches nothing`, `edit paths in ${PROJECT_FILE}`)
    : good(what, `${join(folder, first)} stands for ${join(remote, first)}`);
}

function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}

function hintOf(error: unknown): string {
  return error instanceof AmberError ? error.hint : '';
}
