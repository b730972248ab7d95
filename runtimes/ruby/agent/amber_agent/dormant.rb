# frozen_string_literal: true

require_relative 'description'
require_relative 'recorder'

module AmberAgent
  # The dormant agent: a signal handler, a description file, and a list of the code that was loaded.
  #
  # No thread, no socket, no port. `amber attach` sends the signal named in the description; the handler starts the
  # serving thread, which is gone again after the client has left. Nothing but Ruby's core is used here.
  module Dormant
    # Real-time signals have no meaning of their own, so the last free one is ours.
    SIGNALS = 62.downto(41).freeze
    # Of /proc/PID/stat; the same on every architecture in use.
    TICKS_PER_SECOND = 100.0
    MOMENT = 0.1

    # Forks of which a client may have the program wait: a server that forks for each request is let be after that.
    MOST_FORKS = 16
    TOO_MANY = "amber agent: what this process forks from now on has no marks: there were %d forks, and each waits for them\n"
    # Seconds for which one waits for a client that does not come.
    JOINING_SECONDS = 5.0

    @serving = nil
    @ready = false
    @joins = nil
    @forks = 0

    class << self
      # A client that is attached has forks wait for it (`claim`: the name that it gives them), or not any more (nil).
      def join_forks(claim)
        @joins = claim
        @forks = 0
      end

      # Another process has been forked.
      def forked
        @forks += 1
        return unless @joins && @forks == MOST_FORKS

        Server.session&.event('output', 'category' => 'important', 'output' => format(TOO_MANY, MOST_FORKS))
      end

      # Describe this process and wait for the signal. Safe to call more than once.
      def ready
        return if @ready || !ENV.fetch('AMBER_OFF', '').empty?

        require_ruby
        @ready = true
        Description.signal = install_signal
        claim = ENV.fetch('AMBER_LAUNCH', '')
        waits = !claim.empty? && join_launch?(claim)
        Description.describe(nil)
        Recorder.start
        at_exit { end_here }
        Process.singleton_class.prepend(Forks)
        serve_soon if ENV['AMBER_LISTEN']
        wait_in_launch(claim) if waits
      end

      # Serve a client at once, in a process that was not prepared for it; nothing is left to be woken afterwards.
      # @param folder the run folder
      # @param begun the file that says that this was asked for, which amber takes away, unless it was killed meanwhile
      def lend(folder, begun)
        require_ruby
        @lent = true
        Description.named_folder = folder
        @begun = begun
        gather
        require_relative 'server'
        Description.describe(nil)
        Process.singleton_class.prepend(Forks)
        at_exit { end_here } unless @hooked
        @hooked = true
        serve_soon
      end

      # In a forked child: a process of its own, with nobody attached, unless somebody is who wants its forks.
      def after_fork
        @serving = nil
        @begun = nil
        joined = joining
        claim = joined || (Description.launch if @ready)
        Description.disown
        Server.after_fork if defined?(Server)
        waits = claim && Entry.on?(claim)
        return give_back unless @ready || waits

        Description.launch = claim if waits
        Entry.expect_client if waits
        Description.describe(nil)
        wait_in_launch(claim, joined ? JOINING_SECONDS : Entry::PATIENCE_SECONDS) if waits
        Description.launch = nil if joined
      rescue StandardError
        # The child goes on without us.
      end

      private

      # The program ends.
      def end_here
        Server.last_words if defined?(Server)
        Description.forget
      end

      def joining
        return if @joins.nil? || @forks >= MOST_FORKS

        require_relative 'entry'
        @joins
      end

      def install_signal
        SIGNALS.each do |number|
          before = trap(number) { serve_soon }
          return number if [nil, 'DEFAULT', 'SYSTEM_DEFAULT'].include?(before)

          trap(number, before)
        rescue ArgumentError
          next
        end
        0
      end

      # Called in the context of a signal handler, where no lock may be taken: everything is loaded in the thread.
      def serve_soon
        return if @serving&.alive?

        @serving = Thread.new { serve }
      end

      def serve
        Thread.current.report_on_exception = false
        require_relative 'server'
        Server.serve
      rescue StandardError, ScriptError, SystemStackError => error # the program must not see a trace of ours
        Description.tell(error)
      ensure
        give_back if @lent
      end

      # What was loaded before anybody wrote it down.
      def gather
        return if @ready

        Recorder.start
        require_relative 'gathered'
        Recorder.gather(Gathered.remains, began)
      end

      # The client of a process that was not prepared has gone: nothing is left that would act.
      def give_back
        @lent = nil
        Description.named_folder = nil
        File.unlink(@begun) if @begun && File.exist?(@begun)
        @begun = nil
        return if @ready

        Recorder.stop
        Description.forget
        Description.disown
      end

      def require_ruby
        return unless (RUBY_VERSION.split('.').map(&:to_i) <=> OLDEST).negative? || RUBY_ENGINE != 'ruby'

        raise NotImplementedError, "the agent needs Ruby #{OLDEST.join('.')} or later, and this is #{RUBY_ENGINE} #{RUBY_VERSION}"
      end

      # Under `amber launch` every interpreter waits for the client before its first line; the first one stops there.
      # Called before the process is described, since its description says whether it waits.
      # @return [Boolean] whether it is to wait
      def join_launch?(claim)
        require_relative 'entry'
        return false unless Entry.on?(claim)

        # Before the claim, which is what the client waits for: it may be ready before we come to wait for it.
        Entry.expect_client
        begin
          File.open(claim, File::WRONLY | File::CREAT | File::EXCL, 0o600) { |file| file.write(Process.pid.to_s) }
        rescue SystemCallError
          Description.launch = claim
        end
        true
      end

      def wait_in_launch(claim, seconds = Entry::PATIENCE_SECONDS)
        Description.launch = claim
        Entry.wait_for_client(claim, seconds) { serve_soon }
      end

      # When the process began, or a moment later: the kernel's clock goes in hundredths, and a program may be written just
      # before it is started. The interpreter itself takes about as long until it loads anything.
      def began
        seconds_up = File.read('/proc/uptime').to_f
        Time.now - (seconds_up - (Description.start_ticks / TICKS_PER_SECOND)) + MOMENT
      end
    end

    # Every fork goes through `_fork` (Kernel#fork, Process.fork, IO.popen("-")) or is made by `daemon`.
    module Forks
      def _fork
        pid = super
        pid.zero? ? Dormant.after_fork : Dormant.forked
        pid
      end

      def daemon(...)
        result = super
        Dormant.after_fork
        result
      end
    end
  end
end
