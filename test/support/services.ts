import type { Description } from '../../src/targets/description.js';
import { type Attached, attachTo } from './attached.js';
import { lineOf, NodeProgram } from './node.js';
import { attachToPhp, PhpServer, phpHas } from './php.js';
import type { LineProgram } from './program.js';
import { Program, pythonWith } from './python.js';
import { RubyProgram, rubyHas } from './ruby.js';

/** A service of a test's own that runs: where it listens, its file, and a session that is attached to it. */
export interface StartedService {
  port: string;
  file: string;
  attached: Attached;
}

/** Starts a service; undefined where what it stands on is not installed. */
export type StartService = ((runFolder: string) => Promise<StartedService>) | undefined;

/** A service in Python that says its port. */
export function pythonService(module: string, source: string): StartService {
  const path = pythonWith(module);
  return path === undefined
    ? undefined
    : async (runFolder) => {
        const program = new Program(path, source);
        const port = await program.line('');
        const attached = await attachTo(program.description(runFolder) as Description);
        return { port, file: program.file, attached };
      };
}

/** The text of a program that says its port and serves the ASGI application `app` of a source there. */
export const underUvicorn = (source: string) => `import socket, uvicorn
${source}listening = socket.socket()
listening.bind(('127.0.0.1', 0))
print(listening.getsockname()[1], flush=True)
uvicorn.Server(uvicorn.Config(app, log_level='critical')).run([listening])
`;

/** A service in Node that says its port. */
export function nodeService(source: string): StartService {
  return async () => {
    const program = new NodeProgram(source);
    const port = await program.line('');
    return { port, file: program.file, attached: await program.attach({ requests: true }) };
  };
}

/** A service in Ruby that says its address, as an application of Rack (`App`) or by itself. */
export function rubyService(
  libraries: string[],
  source: string,
  files: Record<string, string>,
  args: string[],
): StartService {
  return rubyHas(...libraries)
    ? async (runFolder) => {
        const program = new RubyProgram(source, files, { args });
        const port = /127\.0\.0\.1:(\d+)/.exec(await program.line('http:'))?.[1] ?? '';
        return { port, file: program.file, attached: await program.attach(runFolder) };
      }
    : undefined;
}

/** A program that has started and answers each line of its input; and the line and file of its own that hold `told`. */
export interface StartedProgram {
  program: Pick<LineProgram, 'ask' | 'say' | 'line'>;
  attached: Attached;
  line: number;
  file: string;
}

/** Starts a program that knows a port; undefined where what it stands on is not installed. */
export type StartProgram = ((port: number, runFolder: string) => Promise<StartedProgram>) | undefined;

export function pythonProgram(module: string, source: (port: number) => string): StartProgram {
  const path = pythonWith(module);
  return path === undefined
    ? undefined
    : async (port, runFolder) => {
        const text = source(port);
        const program = new Program(path, text);
        await program.line('ready');
        const attached = await attachTo(program.description(runFolder) as Description);
        return { program, attached, line: lineOf(text, 'told'), file: program.file };
      };
}

export function rubyProgram(libraries: string[], source: (port: number) => string): StartProgram {
  return rubyHas(...libraries)
    ? async (port, runFolder) => {
        const text = source(port);
        const program = new RubyProgram(text);
        await program.line('ready');
        const attached = await program.attach(runFolder);
        return { program, attached, line: lineOf(text, '# told'), file: program.file };
      }
    : undefined;
}

export function nodeProgram(source: (port: number) => string): StartProgram {
  return async (port) => {
    const text = source(port);
    const program = new NodeProgram(text);
    await program.line('ready');
    return { program, attached: await program.attach(), line: lineOf(text, '// told'), file: program.file };
  };
}

/** A PHP server whose index.php answers what stands behind `n=`. */
export function phpProgram(source: (port: number) => string): StartProgram {
  return phpHas('cli')
    ? async (port, runFolder) => {
        const text = source(port);
        const server = await PhpServer.start({ 'index.php': text });
        const attached = await attachToPhp(runFolder, server.pid);
        let answer = Promise.resolve('');
        const program = {
          say: (number: string) => {
            answer = server.get(`/?n=${number}`).then((told) => `${number} -> ${told}`);
          },
          line: () => answer,
          ask: async (number: string) => `${number} -> ${await server.get(`/?n=${number}`)}`,
        };
        return { program, attached, line: lineOf(text, '// told'), file: server.path() };
      }
    : undefined;
}
