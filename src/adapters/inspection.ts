import * as asked from './arguments.js';
import type { RequestHandler } from './dap-server.js';

type Answer = object | Promise<object>;

/** What is asked of a paused thread; numbers are those that it gave out. */
export interface Inspected {
  stackTrace(start: number, levels: number): Answer;
  scopes(frameId: number): Answer;
  variables(reference: number, start: number, count: number, filter: string): Answer;
  evaluate(expression: string, frameId: number | undefined, isLong: boolean): Answer;
  assign(target: string, expression: string, frameId: number): Answer;
  completions(text: string, frameId: number | undefined): Answer;
}

/**
 * The requests of DAP that look at a paused thread.
 * @param stopped the thread that arguments name
 * @param stopWith the one that gave out a number
 */
export function inspection(
  stopped: (args: unknown) => Inspected,
  stopWith: (number: number | undefined) => Inspected,
): Record<string, RequestHandler> {
  return {
    stackTrace: async (args) => {
      const { startFrame, levels } = asked.stackSchema.parse(args);
      return await stopped(args).stackTrace(startFrame, levels);
    },
    scopes: async (args) => {
      const { frameId } = asked.frameSchema.parse(args);
      return await stopWith(frameId).scopes(frameId);
    },
    variables: async (args) => {
      const { variablesReference, start, count, filter } = asked.referenceSchema.parse(args);
      return await stopWith(variablesReference).variables(variablesReference, start, count, filter);
    },
    evaluate: async (args) => {
      const { expression, frameId, context } = asked.evaluateSchema.parse(args);
      const isLong = context === 'repl' || context === 'clipboard';
      return await stopWith(frameId).evaluate(expression, frameId, isLong);
    },
    setExpression: async (args) => {
      const { expression, value, frameId } = asked.assignSchema.parse(args);
      return await stopWith(frameId).assign(expression, value, frameId);
    },
    completions: async (args) => {
      const { text, frameId } = asked.completionsSchema.parse(args);
      return await stopWith(frameId).completions(text, frameId);
    },
  };
}
