import type { DebugProtocol } from '@vscode/debugprotocol';
import type { z } from 'zod';
import * as dap from '../../../src/core/dap/messages.js';

/**
 * At type level: whatever a server sends according to the published types is accepted by our schemas.
 * A field that we read under a wrong name or type does not compile here.
 */
function accepts<Schema extends z.ZodType>(_schema: Schema) {
  return <Published extends z.input<Schema>>(): Published | undefined => undefined;
}

accepts(dap.capabilitiesSchema)<DebugProtocol.Capabilities & Record<string, unknown>>();
accepts(dap.breakpointSchema)<DebugProtocol.Breakpoint>();
accepts(dap.setBreakpointsBodySchema)<DebugProtocol.SetBreakpointsResponse['body']>();
accepts(dap.threadsBodySchema)<DebugProtocol.ThreadsResponse['body']>();
accepts(dap.stackTraceBodySchema)<DebugProtocol.StackTraceResponse['body']>();
accepts(dap.scopesBodySchema)<DebugProtocol.ScopesResponse['body']>();
accepts(dap.variablesBodySchema)<DebugProtocol.VariablesResponse['body']>();
accepts(dap.evaluateBodySchema)<DebugProtocol.EvaluateResponse['body']>();
accepts(dap.setValueBodySchema)<DebugProtocol.SetVariableResponse['body']>();
accepts(dap.setValueBodySchema)<DebugProtocol.SetExpressionResponse['body']>();
accepts(dap.completionsBodySchema)<DebugProtocol.CompletionsResponse['body']>();
accepts(dap.exceptionInfoBodySchema)<DebugProtocol.ExceptionInfoResponse['body']>();
accepts(dap.sourceBodySchema)<DebugProtocol.SourceResponse['body']>();
accepts(dap.stoppedEventSchema)<DebugProtocol.StoppedEvent['body']>();
accepts(dap.continuedEventSchema)<DebugProtocol.ContinuedEvent['body']>();
accepts(dap.outputEventSchema)<DebugProtocol.OutputEvent['body']>();
accepts(dap.breakpointEventSchema)<DebugProtocol.BreakpointEvent['body']>();
accepts(dap.exitedEventSchema)<DebugProtocol.ExitedEvent['body']>();
accepts(dap.threadEventSchema)<DebugProtocol.ThreadEvent['body']>();

describe('message schemas', () => {
  it('let unknown fields and a missing seq through', () => {
    const event = { type: 'event', event: 'output', body: { output: 'x' }, later: true };
    expect(dap.messageSchema.parse(event)).toMatchObject({ event: 'output', seq: 0 });
  });

  it('keep what a server adds to its capabilities', () => {
    expect(dap.capabilitiesSchema.parse({ amber: { version: 1 } })).toEqual({ amber: { version: 1 } });
  });

  it('refuse a message without a known type', () => {
    expect(dap.messageSchema.safeParse({ seq: 1, type: 'gossip' }).success).toBe(false);
  });
});
