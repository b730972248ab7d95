# frozen_string_literal: true

# Loaded by every Ruby that `amber run` starts (RUBYOPT): makes the process attachable, then gets out of the way.
begin
  require_relative '../amber_agent'
  AmberAgent.ready
rescue StandardError, ScriptError => error # the user's program comes first: it starts without us
  $stderr.write("amber: this Ruby cannot be attached to: #{error.message}\n")
end
