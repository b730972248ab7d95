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

      # Whether the `amber launch` that a file claims is there still: it has left its number beside that file.
      def on?(claim)
        alive?(launcher_of(claim))
      end

      # Block the main thread until the client has set its marks; where it wants that, stop at the first line of the program.
      def wait_for_client(claim, seconds)
        yield
        deadline = Process.clock_gettime(Process::CLOCK_MONOTONIC) + seconds
        session = nil
        while session.nil? && Process.clock_gettime(Process::CLOCK_MONOTONIC) < deadline && on?(claim)
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

      # The process of a launch, or of whoever is attached and has forks wait (`join-PID-…`); 0 where it is over.
      def launcher_of(claim)
        joining = File.basename(claim)[/\Ajoin-(\d+)-/, 1]
        return joining.to_i if joining

        File.read("#{claim}.json")[/"launcher":(\d+)/, 1].to_i
      rescue SystemCallError
        0
      end

      def alive?(launcher)
        launcher.positive? && Process.kill(0, launcher) == 1
      rescue Errno::EPERM
        # It is another user's, and there.
        true
      rescue SystemCallError
        false
      end

      def next_session
        @queue.pop(true)
      rescue ThreadError
        sleep 0.005
        nil
      end
    end
  end
end
