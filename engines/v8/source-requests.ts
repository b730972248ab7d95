import * as asked from '../../src/adapters/arguments.js';
import { RequestError, type RequestHandler } from '../../src/adapters/dap-server.js';
import { isCellName } from '../../src/core/notebook/notebook.js';
import type { JavaScriptThread } from './thread.js';

/** DAP's requests about a program's code: what is loaded, its text, its lines, and the text that it is to go on with. */
export class SourceRequests {
  constructor(private readonly threads: () => readonly JavaScriptThread[]) {}

  handlers(): Record<string, RequestHandler> {
    return {
      amberReload: (args) => this.#reload(args),
      breakpointLocations: (args) => this.#lines(args),
      loadedSources: async () => ({ sources: this.#sources() }),
      source: (args) => this.#source(args),
    };
  }

  /** Its first thread: what a program loads, it loads there. */
  get #main(): JavaScriptThread {
    const [main] = this.threads();
    if (main === undefined) {
      throw new RequestError('notAttached', 'attach first');
    }
    return main;
  }

  async #lines(args: unknown): Promise<object> {
    const { source, line, endLine } = asked.linesSchema.parse(args);
    const lines = await this.#main.placement.possibleLines(source.path, line, endLine ?? line);
    return { breakpoints: lines.map((at) => ({ line: at })) };
  }

  #sources(): object[] {
    const { scripts } = this.#main;
    const hint = (path: string) => (scripts.isForeign(path) ? { presentationHint: 'deemphasize' } : {});
    return [
      ...scripts.files.map((path) => ({ path, ...hint(path) })),
      ...scripts.nameless.map(({ path, id, origin }) => ({
        name: path,
        sourceReference: Number(id),
        ...(origin === undefined ? {} : { origin }),
      })),
    ];
  }

  /** The program's own text of code without a file, or what a source map carries. */
  async #source(args: unknown): Promise<object> {
    const { sourceReference, source } = asked.sourceSchema.parse(args);
    for (const { scripts } of this.threads()) {
      const script = sourceReference > 0 ? scripts.get(String(sourceReference)) : undefined;
      const content = script ? await script.pristine() : scripts.contentOf(source?.path ?? '');
      if (content !== undefined) {
        return { content: script && isCellName(script.path) ? content.replace(NAMING, '') : content };
      }
    }
    throw new RequestError('noSuchSource', 'this text is not to be had');
  }

  /** Live edit: the program goes on with the text that a file has now. */
  async #reload(args: unknown): Promise<object> {
    const { path, text } = asked.reloadSchema.parse(args);
    const results: string[] = [];
    for (const thread of this.threads()) {
      for (const script of thread.scripts.ofPath(path).filter((candidate) => !candidate.isMadeFrom(path))) {
        results.push(await thread.reload(script, text));
      }
    }
    const refused = results.find((result) => result !== '');
    if (results.length === 0) {
      throw new RequestError(
        'notLoaded',
        `the program has not loaded ${path} itself, or it was compiled on the way`,
      );
    }
    if (refused !== undefined) {
      throw new RequestError('refused', RELOAD_REFUSALS[refused] ?? refused);
    }
    return { scripts: results.length };
  }
}

/** The line by which a cell that is run has its name (runtimes/node/agent/notebook). */
const NAMING = /\n\/\/# sourceURL=\S+$/;

/** V8's reasons for which a text is not taken over, in words. */
const RELOAD_REFUSALS: Record<string, string> = {
  BlockedByActiveFunction: 'a function that was changed is running; let it end first',
  BlockedByActiveGenerator: 'a function that was changed waits at an await or yield; let it end first',
  BlockedByTopLevelEsModuleChange: 'the top level of an ES module cannot be changed while it is loaded',
};
