/** What both adapters claim (DAP, `Capabilities`). */
export const SHARED_CAPABILITIES = {
  supportsConfigurationDoneRequest: true,
  supportsConditionalBreakpoints: true,
  supportsHitConditionalBreakpoints: true,
  supportsLogPoints: true,
  supportsFunctionBreakpoints: true,
  supportsEvaluateForHovers: true,
  supportsSetExpression: true,
  supportsCompletionsRequest: true,
  supportsBreakpointLocationsRequest: true,
  supportsExceptionInfoRequest: true,
  supportsExceptionFilterOptions: true,
  supportsDelayedStackTraceLoading: true,
  supportsSingleThreadExecutionRequests: true,
};
