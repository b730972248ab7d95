# frozen_string_literal: true

module AmberAgent
  # Under `amber launch`: the program waits before its first line until the client is there.
  module Entry
    # A client that has not come by then will not; the program must not hang.
    PATIENCE_SECONDS = 30.0

    @queue = nil

    class << self
      # From now on a client that is ready is remembered for `wait_for_client`.
      def expect_client
        @queue = Thread::Queue.new
      end

      # Another interpreter has the launch.
      def expect_nobody
        @queue = nil
      end

      # Block the main thread until the client has set its marks; then stop at the first line of the program.
      def wait_for_client
        parent = Process.ppid
        yield
        deadline = Process.clock_gettime(Process::CLOCK_MONOTONIC) + PATIENCE_SECONDS
        session = nil
        while session.nil? && Process.clock_gettime(Process::CLOCK_MONOTONIC) < deadline && Process.ppid == parent
          session = next_session
        end
        expect_nobody
        session.stop_at_first_line if session&.stop_on_entry
      end

      # The client has said `configurationDone`.
      def client_is_ready(session)
        @queue&.push(session)
      end

      private

      def next_session
        @queue.pop(true)
      rescue ThreadError
        sleep 0.005
        nil
      end
    end
  end
end
