# frozen_string_literal: true

module AmberAgent
  # What this agent can do, as DAP describes it.
  module Capabilities
    FILTERS = [
      {
        'filter' => 'raised', 'label' => 'Errors raised', 'supportsCondition' => true,
        'description' => "Any error that reaches the project's code, caught or not",
        'conditionDescription' => 'Names of error types, separated by commas'
      },
      {
        'filter' => 'uncaught', 'label' => 'Errors not caught', 'supportsCondition' => true,
        'description' => 'Errors that no code of the project catches (a prediction from the source)',
        'conditionDescription' => 'Names of error types, separated by commas'
      },
      {
        'filter' => 'warning', 'label' => 'Warnings given', 'supportsCondition' => true,
        'description' => 'Warnings of the program and of the interpreter',
        'conditionDescription' => 'Categories of warnings (deprecated, experimental), separated by commas'
      }
    ].freeze
    PREDICTION = 'not caught is a prediction from the source: rescue clauses around the lines that are running'

    ALL = {
      'supportsConfigurationDoneRequest' => true,
      'supportsFunctionBreakpoints' => true,
      'supportsConditionalBreakpoints' => true,
      'supportsHitConditionalBreakpoints' => true,
      'supportsLogPoints' => true,
      'supportsEvaluateForHovers' => true,
      'exceptionBreakpointFilters' => FILTERS,
      'supportsExceptionFilterOptions' => true,
      'supportsExceptionInfoRequest' => true,
      'supportsSetVariable' => true,
      'supportsSetExpression' => true,
      'supportsCompletionsRequest' => true,
      'completionTriggerCharacters' => ['.', ':', '@'],
      'supportsBreakpointLocationsRequest' => true,
      'supportsLoadedSourcesRequest' => true,
      'supportsCancelRequest' => true,
      'supportsDelayedStackTraceLoading' => true,
      'supportsClipboardContext' => true,
      'supportsSingleThreadExecutionRequests' => true,
      'supportSuspendDebuggee' => false,
      'supportTerminateDebuggee' => false
    }.freeze

    # What this agent can do, for a client that has said `arguments` of itself.
    def self.for(arguments)
      return ALL unless arguments['amber'].is_a?(Hash)

      amber = { 'version' => 1, 'agent' => VERSION, 'runtime' => 'ruby', 'foreign' => true, 'requests' => true, 'sends' => true, 'reload' => true, 'follow' => true }
      ALL.merge('amber' => amber)
    end
  end
end
