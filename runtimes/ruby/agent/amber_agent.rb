# frozen_string_literal: true

# The part of Amber Lantern that lives inside a Ruby process.
#
# A program that cannot be started through `amber run` makes itself attachable with one line:
#
#     require '/path/to/runtimes/ruby/agent/amber_agent'; AmberAgent.ready
#
# Loading this file loads nothing else; `ready` loads the dormant part only.
module AmberAgent
  VERSION = '0.1.0'
  FOLDER = "#{__dir__}/".freeze

  # The oldest Ruby whose frames and forks can be reached in the ways that are used here.
  OLDEST = [3, 1].freeze

  class << self
    # Make this process attachable. Calling it twice, or under `amber run`, changes nothing.
    def ready
      require_relative 'amber_agent/dormant'
      Dormant.ready
    end

    # Serve a client in a process that was not prepared, and be gone with it.
    # @param folder the run folder
    # @param begun the file that says that this was asked for
    def lend(folder, begun)
      require_relative 'amber_agent/dormant'
      Dormant.lend(folder, begun)
    end

    # Ask for a stop at this very line; nothing happens while nobody is attached. In a program that also runs
    # without the agent: `AmberAgent.stop if defined?(AmberAgent)`.
    def stop
      session = defined?(Server) && Server.session
      session&.stop_asked_for
      nil
    end
  end
end
