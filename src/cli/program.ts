import { Command, CommanderError } from 'commander';
import { setDebugSink } from '../core/debug-log.js';
import { AmberError, exitCodeOf, systemReason } from '../core/errors.js';
import { setPatience } from '../core/patience.js';
import type { AttachOptions } from './commands/attach.js';
import type { NotebookOptions } from './commands/launch-notebook.js';
import { openFile, standardOutput } from './context.js';
import { toAmberError } from './render/output.js';

/** The command line: names, options and help. A command's code is loaded when it is run. */
export async function runProgram(argv: string[], version: string): Promise<void> {
  process.stdout.on('error', onUnwritable);
  const program = describeProgram(version);
  try {
    setPatience(readPatience(process.env.AMBER_PATIENCE));
    openDebugLog(process.env.AMBER_DEBUG);
    await program.parseAsync(argv);
  } catch (thrown) {
    if (thrown instanceof CommanderError) {
      process.exitCode = thrown.exitCode === 0 ? 0 : 2;
      return;
    }
    const error = toAmberError(thrown);
    standardOutput(argv.includes('--json')).error(error);
    process.exitCode = exitCodeOf(error.code);
  }
}

/** AMBER_DEBUG=FILE: every message of every protocol, in short, for whoever looks for a defect of ours. */
function openDebugLog(path: string | undefined): void {
  if (path) {
    const began = performance.now();
    const file = openFile(path, 'the debug log', (error) => {
      setDebugSink(undefined);
      standardOutput(false).error(error);
    });
    setDebugSink((layer, direction, what) => {
      const at = (performance.now() - began).toFixed(1).padStart(9);
      file.write(`${at} ${layer.padEnd(4)} ${direction === 'sent' ? '>' : '<'} ${what}`);
    });
  }
}

/** By hand, and not by a schema: this file is all that `--help` loads. */
function readPatience(text: string | undefined): number {
  const read = Number(text || 1);
  if (!(read >= 1 && read <= 1000)) {
    throw new AmberError(
      'AL_USAGE',
      `AMBER_PATIENCE is ${text}`,
      'a number from 1 to 1000: how many times longer',
    );
  }
  return read;
}

function describeProgram(version: string): Command {
  const program = new Command('amber')
    .description(
      'Attach to a running interpreter and trace a faulty request to the line that makes it wrong.',
    )
    .version(version, '-V, --version')
    .enablePositionalOptions()
    .showHelpAfterError('(amber --help lists the commands)')
    .exitOverride();

  program
    .command('run')
    .description('start a program so that it can be attached to at any time')
    .usage('[options] -- COMMAND …')
    .argument('[command...]')
    .option('--print-env', 'print the environment for a shell, a container or a unit file instead')
    .passThroughOptions()
    .action(async (command: string[], options) =>
      finish((await import('./commands/run.js')).run(command, options)),
    );

  program
    .command('targets')
    .description('list what can be attached to, and why something cannot')
    .option('--browser <address>', 'HOST:PORT of a browser whose pages are not found by themselves')
    .option('--json', 'as one JSON record')
    .action(async (options) => finish((await import('./commands/targets.js')).targets(options)));

  program
    .command('check')
    .description(
      'look at this machine and this project, or at targets, and say what is missing and how to get it',
    )
    .argument('[target...]', 'as for attach')
    .option('--json', 'as one JSON record')
    .action(async (wanted: string[], options) =>
      finish((await import('./commands/check.js')).check(wanted, options)),
    );

  sessionOptions(
    program
      .command('launch')
      .description('start a program and open the prompt on it, before its first line')
      .usage('[options] -- COMMAND …  |  NOTEBOOK.ipynb')
      .argument('[command...]')
      .option('--page <url>', 'go to a page in a browser of its own, and stop before its first line')
      .option('--with <program>', 'the interpreter that runs the cells of a notebook')
      .option('--alone', 'not what the program starts')
      .passThroughOptions(),
  ).action(async (command: string[], options) =>
    finish(
      options.page === undefined
        ? launchOf(command, options)
        : (await import('./commands/launch-page.js')).launchPage(options.page, options),
    ),
  );

  sessionOptions(
    program
      .command('attach')
      .description('open the prompt on running targets, or run commands from a pipe or file')
      .argument(
        '[target...]',
        'names, pids, runtimes (python, page), page:ADDRESS or tcp:HOST:PORT; nothing: the only target there is',
      )
      .option('--yes', 'bring the agent into a target that was started without it')
      .option('--alone', 'neither what a target starts nor what takes its place')
      .option('--only-mine', 'only requests that you send with amber send (PHP)')
      .option(
        '--document-root <folder>',
        'where the scripts of a php-fpm are that was started without the agent',
      )
      .option('--browser <address>', 'HOST:PORT of a browser whose pages are not found by themselves')
      .option('--park', 'keep the session when the terminal is closed; `amber attach` joins it again')
      .option('--no-pause', 'only look: refuse whatever pauses the program or changes it')
      .option('--dap <server>', 'any DAP server: tcp:HOST:PORT, unix:PATH or "command …"')
      .option('--dap-attach <json>', 'arguments of that server’s own attach (or launch) request'),
  ).action(async (wanted: string[], options) => finish(attachOf(wanted, options)));

  program
    .command('parked')
    .description('list the sessions that are kept without a terminal (attach --park), or end them')
    .argument('[session...]', 'with --end: numbers of the list, names of targets, or all')
    .option('--end', 'end them: everything is let go, and every mark is taken out')
    .option('--json', 'as one JSON record')
    .action(async (wanted: string[], options) =>
      finish((await import('./commands/parked.js')).parked(wanted, options)),
    );

  program
    .command('trace')
    .description('record what logpoints tell, with the requests they belong to; never pauses')
    .argument('[target...]', 'as for attach')
    .option('--log <mark>', 'a logpoint: PLACE "text {expr}"; may be given again', collect)
    .option('--count <mark>', 'a counter; may be given again', collect)
    .option(
      '--follow <place>',
      'every line of a FILE or FUNCTION and what it changes; may be given again',
      collect,
    )
    .option('--for <time>', 'end after this time: 60s, 5m')
    .option('--requests <number>', 'end when this many requests have been answered')
    .option('--until-hit <number>', 'end at this many hits')
    .option('--send <request>', 'send a request of amber.yaml, or "METHOD URL"; may be given again', collect)
    .option('--times <number>', 'how often each is sent (1); the trace ends when all are answered')
    .option('--concurrency <number>', 'how many at a time (1)')
    .option('--yes', 'bring the agent into a target that was started without it')
    .option('--alone', 'neither what a target starts nor what takes its place')
    .option('--only-mine', 'only requests that are sent with amber (PHP)')
    .option(
      '--document-root <folder>',
      'where the scripts of a php-fpm are that was started without the agent',
    )
    .option('--hits', 'show hits at a terminal too, and not only requests as they end')
    .option('--trail <file>', 'write the trail here (else into .amber/trails)')
    .option('--json', 'one JSON record a line')
    .option('--foreign <glob...>', 'files that are not the project’s own, besides libraries')
    .option('--unveil', 'show values whose names look secret too')
    .action(async (wanted: string[], options) =>
      finish((await import('./commands/trace.js')).trace(wanted, options)),
    );

  program
    .command('contrast')
    .description('name where faulty requests part from good ones: sends both, or takes them from a trail')
    .usage('[options] --good NAME --faulty NAME [TARGET…] | TRAIL')
    .argument(
      '[target-or-trail...]',
      'targets as for attach (all that are prepared), or a trail with followed lines',
    )
    .option('--good <request...>', 'requests that work: names of amber.yaml, or "METHOD URL"')
    .option('--faulty <request...>', 'requests that do not; one that is both is told apart by its expect:')
    .option('--times <number>', 'how often each is sent (1)')
    .option('--concurrency <number>', 'how many at a time (1)')
    .option('--follow <place...>', 'look only at these files and functions, in one round')
    .option(
      '--faulty-when <comparison>',
      "of a trail: 'status >= 500' or 'duration > 250 ms' (else by expect:)",
    )
    .option('--formula <name>', 'how lines are suspected: ochiai, tarantula, jaccard or dstar')
    .option('--trail <file>', 'write the trail here (else into .amber/trails)')
    .option('--exit-code', 'end with 1 when something tells them apart')
    .option('--yes', 'bring the agent into a target that was started without it')
    .option('--json', 'as one JSON record')
    .option('--foreign <glob...>', 'files that are not the project’s own, besides libraries')
    .option('--unveil', 'show values whose names look secret too')
    .action(async (words: string[], options) =>
      finish((await import('./commands/contrast.js')).contrast(words, options)),
    );

  program
    .command('report')
    .description('show what a trail has recorded, or make a page, a table or spans of it')
    .argument('<trail>', 'a file that amber trace has written')
    .option('--request <number>', 'what happened in this request and in those that it made, in order')
    .option('--last <number>', 'how many of the last requests to list (50)')
    .option('--csv [table]', 'a table (RFC 4180) of hits, or of requests')
    .option('--otlp', 'spans in OpenTelemetry’s JSON form, a message a line')
    .option('--html', 'a page that opens in any browser, without network')
    .option('--out <file>', 'write the table, the spans or the page here')
    .action(async (trail: string, options) =>
      finish((await import('./commands/report.js')).report(trail, options)),
    );

  program
    .command('send')
    .description('send a request of amber.yaml, or one given in full, with a trace context')
    .usage('[options] NAME | [METHOD] URL')
    .argument('<request...>')
    .option('--header <header>', 'Name: value; may be given again', collect)
    .option('--data <text>', 'the body: a text, or @FILE')
    .option('--form <field>', 'name=value of a form; may be given again', collect)
    .option('--json', 'as one JSON record')
    .action(async (words: string[], options) =>
      finish((await import('./commands/send.js')).send(words, options)),
    );

  program
    .command('adapter')
    .description('serve our adapter over plain DAP for any other client (on its streams, or a port)')
    .argument('<runtime>', 'javascript')
    .option('--port <number>', 'listen on this port of 127.0.0.1 (0: any); asks for AMBER_TOKEN')
    .action(async (runtime: string, options) =>
      finish((await import('./commands/adapter.js')).adapter(runtime, options)),
    );

  program
    .command('demo')
    .description('start the ferry office and walk through finding a fault')
    .option('--auto', 'do not wait for Enter')
    .option('--office', 'only start the services; Ctrl-C ends them')
    .action(async (options) => finish((await import('./commands/demo.js')).demo(options)));

  return program;
}

function sessionOptions(command: Command): Command {
  return command
    .option('--break <mark>', 'a breakpoint, as in the prompt; may be given again', collect)
    .option('--log <mark>', 'a logpoint: PLACE "text {expr}"; may be given again', collect)
    .option('--count <mark>', 'a counter; may be given again', collect)
    .option('--commands <file>', 'read commands from a file, one a line')
    .option('--strict', 'end at the first command that fails')
    .option('--release-after <seconds>', 'let every pause go by itself after this time')
    .option('--json', 'one JSON record a line')
    .option('--foreign <glob...>', 'files that are not the project’s own, besides libraries')
    .option('--unveil', 'show values whose names look secret too')
    .option('--out <file>', 'write what logpoints tell to a file too, as JSON lines')
    .option('--wire-log <file>', 'write every DAP message to a file');
}

/** A session that is kept is a process of its own, and what it has is offered before it is attached to. */
async function attachOf(wanted: string[], options: AttachOptions & { park?: boolean }): Promise<number> {
  const { HELD, attachParked, holdSession, offerParked } = await import('./parked/park.js');
  const { [HELD]: path } = process.env;
  if (path !== undefined) {
    await holdSession(path, wanted, options);
  }
  if (options.park) {
    return attachParked(wanted, options);
  }
  const joined = await offerParked(wanted, options, standardOutput(false));
  return joined ?? (await import('./commands/attach.js')).attach(wanted, options);
}

/** A notebook is launched by its file alone; everything else is a command. */
async function launchOf(command: string[], options: NotebookOptions): Promise<number> {
  const [path = '', ...rest] = command;
  if (!path.endsWith('.ipynb')) {
    return (await import('./commands/launch.js')).launch(command, options);
  }
  if (rest.length > 0) {
    const hint = `amber launch ${rest.join(' ')} ${path}`;
    throw new AmberError('AL_USAGE', 'options go before the notebook', hint);
  }
  return (await import('./commands/launch-notebook.js')).launchNotebook(path, options);
}

/** Sets the exit code; the process ends once its streams are written. */
async function finish(code: Promise<number>): Promise<void> {
  process.exitCode = await code;
  // A terminal that was read from, or a socket half closed, would keep the process.
  process.stdin.unref?.();
  process.stdin.pause();
}

function collect(value: string, before: string[] = []): string[] {
  return [...before, value];
}

/** `amber targets | head`: nobody reads on, and that is no error. A full disk is one; what is attached to lets go by itself. */
function onUnwritable(error: NodeJS.ErrnoException): void {
  if (error.code === 'EPIPE') {
    process.exit(0);
  }
  const told = new AmberError('AL_FILE', `standard output cannot be written: ${systemReason(error)}`);
  standardOutput(false).error(told);
  process.exit(exitCodeOf(told.code));
}
