import { SHARED_CAPABILITIES } from '../../../src/adapters/capabilities.js';

/** What the adapter claims (DAP, `Capabilities`). */
export const CAPABILITIES = {
  ...SHARED_CAPABILITIES,
  supportsLoadedSourcesRequest: true,
  exceptionBreakpointFilters: [
    { filter: 'raised', label: 'Errors thrown', supportsCondition: true },
    { filter: 'uncaught', label: 'Errors not caught', supportsCondition: true },
    { filter: 'warning', label: 'Warnings and notices', supportsCondition: true },
  ],
};
