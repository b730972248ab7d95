'use strict';
/*
 * Loaded first in every Node process that `amber launch` starts (NODE_OPTIONS). It brings the agent up without an
 * inspector's port, and holds the program before its first line until `amber` has set its marks, has gone, or some
 * seconds have passed. What it needs lies in the file that AMBER_NODE_LAUNCH names, which is there only while somebody
 * waits for new processes.
 */
const { existsSync, readFileSync } = require('node:fs');
const { isMainThread } = require('node:worker_threads');
const vm = require('node:vm');

const { SIGUSR1 } = require('node:os').constants.signals;

/** Milliseconds between looks at whether the program may go on; the engine serves the client in between. */
const LOOK_EVERY = 2;

function begin() {
  const { boot, options, source, launcher, patience } = JSON.parse(readFileSync(process.env.AMBER_NODE_LAUNCH, 'utf8'));
  const start = vm.runInThisContext(boot, { filename: 'amber:boot' });
  // This is code like any other of the program: nothing stands in the middle of anything.
  const aside = (work) => work();
  start(require, { ...options, endpoint: { ...options.endpoint, ...facts() } }, source, aside);
  const way = globalThis[options.name];
  watchFiles(way);
  const looked = new Int32Array(new SharedArrayBuffer(4));
  const until = Date.now() + patience;
  while (!way.isLaunched && Date.now() < until && isAlive(launcher) && existsSync(process.env.AMBER_NODE_LAUNCH)) {
    Atomics.wait(looked, 0, 0, LOOK_EVERY);
  }
}

/** Tells of each CommonJS file of the project before it is compiled, while somebody wants to know. */
function watchFiles(way) {
  // Node's own loader, and test runners that compile such files by themselves.
  watch(require('node:module').prototype, '_compile', ([text, path]) => [text, path]);
  watch(vm, 'compileFunction', ([text, , options]) => [text, options?.filename]);

  function watch(object, name, fileOf) {
    const before = object[name];
    object[name] = function compile() {
      if (way.tellsFiles) {
        const [text, path] = fileOf(arguments);
        if (isProject(path)) $amberCompiles(withoutTypes(text, path), path);
      }
      return Reflect.apply(before, this, arguments);
    };
  }
}

function isProject(path) {
  return typeof path === 'string' && path.startsWith('/') && !path.includes('/node_modules/');
}

/** Newer versions take types out only after this; blanks are in their place. */
function withoutTypes(text, path) {
  const { stripTypeScriptTypes } = require('node:module');
  try {
    return /\.[cm]?ts$/.test(path) && stripTypeScriptTypes !== undefined ? stripTypeScriptTypes(text) : text;
  } catch {
    return text;
  }
}

/** Nothing happens here unless somebody is attached: the engine stops, and `amber` looks at what is about to run. */
function $amberCompiles(text, path) {
  debugger;
  return [text, path];
}

/** What the description says of this process (docs/endpoints.md). */
function facts() {
  const stat = readFileSync('/proc/self/stat', 'latin1');
  const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
  return {
    name: String(process.pid),
    pid: process.pid,
    startTicks: Number(fields[19]),
    command: readFileSync('/proc/self/cmdline', 'utf8').replace(/\0$/, '').replaceAll('\0', ' '),
    folderOfProgram: process.cwd(),
  };
}

function isAlive(pid) {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

/** Whether this process may be attached to at all (SIGUSR1 is caught); the parents of `--test` and `--watch` may not. */
function canBeAttached() {
  const [, caught] = /^SigCgt:\s*([0-9a-f]+)$/m.exec(readFileSync('/proc/self/status', 'latin1'));
  return (BigInt(`0x${caught}`) & (1n << BigInt(SIGUSR1 - 1))) !== 0n;
}

if (isMainThread && process.env.AMBER_NODE_LAUNCH) {
  try {
    if (canBeAttached()) begin();
  } catch {
    // Nobody waits any more: the program runs as it would without us.
  }
}
