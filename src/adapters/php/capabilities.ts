/** What the adapter claims (DAP, `Capabilities`). */
export const CAPABILITIES = {
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
  exceptionBreakpointFilters: [
    { filter: 'raised', label: 'Errors thrown', supportsCondition: true },
    { filter: 'uncaught', label: 'Errors not caught', supportsCondition: true },
    { filter: 'warning', label: 'Warnings and notices', supportsCondition: true },
  ],
};
