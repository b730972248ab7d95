# frozen_string_literal: true

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

    @signal = 0
    @described = nil
    @serving = nil
    @ready = false

    class << self
      # Describe this process and wait for the signal. Safe to call more than once.
      def ready
        return if @ready || !ENV.fetch('AMBER_OFF', '').empty?

        require_ruby
        @ready = true
        @signal = install_signal
        describe(nil)
        Recorder.start
        at_exit { forget }
        Process.singleton_class.prepend(Forks)
        serve_soon if ENV['AMBER_LISTEN']
        claim_launch if ENV['AMBER_LAUNCH']
      end

      # Serve a client at once, in a process that was not prepared for it; nothing is left to be woken afterwards.
      # @param folder the run folder
      # @param begun the file that says that this was asked for, which amber takes away, unless it was killed meanwhile
      def lend(folder, begun)
        require_ruby
        @lent = folder
        @begun = begun
        gather
        require_relative 'server'
        describe(nil)
        Process.singleton_class.prepend(Forks)
        at_exit { forget } unless @hooked
        @hooked = true
        serve_soon
      end

      # The folder of endpoints: the user's own, mode 0700, or the one AMBER_RUN_DIR names.
      # @raise [IOError] when somebody else could place a socket in it
      def run_folder
        named = @lent || ENV.fetch('AMBER_RUN_DIR', '')
        folder = named.empty? ? default_folder : named
        begin
          Dir.mkdir(folder, 0o700)
        rescue Errno::EEXIST
          # Looked at below, whoever made it.
        end
        check(folder, File.lstat(folder), !named.empty?)
        folder
      end

      # Write this process's description file; `client` is the JSON text of who is attached, or nil.
      def describe(client)
        pid = Process.pid
        folder = run_folder
        path = "#{folder}/#{pid}.json"
        text = %({"version":1,"runtime":"ruby","runtimeVersion":#{quote(RUBY_VERSION)},"pid":#{pid},) +
               %("startTicks":#{start_ticks},"signal":#{@signal},"socket":#{quote("#{folder}/#{pid}.sock")},) +
               %("agent":#{quote(VERSION)},"command":#{quote(command)},"folder":#{quote(folder_now)},) +
               %("trouble":#{quote(@trouble.to_s)},"client":#{client || 'null'}}\n)
        # Written beside and renamed: a reader never sees half of it.
        begin
          File.open("#{path}.new", File::WRONLY | File::CREAT | File::TRUNC, 0o600) { |file| file.write(text) }
        rescue SystemCallError
          File.unlink("#{path}.new") if File.exist?("#{path}.new")
          raise
        end
        File.rename("#{path}.new", path)
        @described = [pid, path]
      end

      # In a forked child: a process of its own, with nobody attached.
      def after_fork
        @serving = nil
        @described = nil
        Server.after_fork if defined?(Server)
        return give_back unless @ready

        describe(nil)
      rescue StandardError
        # The child goes on without us.
      end

      # The endpoint is there: from here on nothing is said in the program's own output.
      def listens
        @listens = true
      end

      # That something of ours has failed: in the description file, since the program's output is not ours. Only whoever
      # has asked for a port in the environment, and made a mistake in that, is told at once.
      def tell(error)
        $stderr.write("amber: this Ruby cannot be attached to: #{error.message}\n") if ENV['AMBER_LISTEN'] && !@listens
        @trouble = "#{error.class}: #{error.message}"[0, 200]
        describe(nil)
      rescue StandardError
        # Nobody can be told: the folder is gone, or there is no descriptor left.
      end

      private

      def default_folder
        base = ENV.fetch('XDG_RUNTIME_DIR', '')
        !base.empty? && File.directory?(base) ? "#{base}/amber-lantern" : "/tmp/amber-lantern-#{Process.uid}"
      end

      def check(folder, status, named)
        raise IOError, "#{folder} is not a folder" unless status.directory?

        if named
          raise IOError, "#{folder} (AMBER_RUN_DIR) is open to everybody; chmod o-rwx it" if status.mode.anybits?(0o002)
        elsif status.uid != Process.uid || status.mode.anybits?(0o077)
          raise IOError, "#{folder} belongs to another user or is open to others"
        end
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
        tell(error)
      ensure
        give_back if @lent
      end

      # What was loaded before anybody wrote it down.
      def gather
        return if @ready

        Recorder.start
        require_relative 'gathered'
        Recorder.gather(Gathered.files, began)
      end

      # The client of a process that was not prepared has gone: nothing is left that would act.
      def give_back
        @lent = nil
        File.unlink(@begun) if @begun && File.exist?(@begun)
        @begun = nil
        return if @ready

        Recorder.stop
        forget
        @described = nil
      end

      def require_ruby
        return unless (RUBY_VERSION.split('.').map(&:to_i) <=> OLDEST).negative? || RUBY_ENGINE != 'ruby'

        raise NotImplementedError, "the agent needs Ruby #{OLDEST.join('.')} or later, and this is #{RUBY_ENGINE} #{RUBY_VERSION}"
      end

      # Under `amber launch` the first interpreter to come up waits for the client at its first line.
      def claim_launch
        claim = ENV.delete('AMBER_LAUNCH')
        require_relative 'entry'
        # Before the claim, which is what the client waits for: it may be ready before we come to wait for it.
        Entry.expect_client
        begin
          File.open(claim, File::WRONLY | File::CREAT | File::EXCL, 0o600) { |file| file.write(Process.pid.to_s) }
        rescue SystemCallError
          Entry.expect_nobody
          return
        end
        Entry.wait_for_client { serve_soon }
      end

      # At exit: take the description away, unless a fork left us with the parent's.
      def forget
        return unless @described && @described[0] == Process.pid

        [@described[1], "#{@described[1].delete_suffix('.json')}.sock"].each do |path|
          File.unlink(path)
        rescue SystemCallError
          next
        end
      end

      # Start time in clock ticks since boot (field 22 of /proc/PID/stat): tells a reused pid.
      def start_ticks
        File.binread('/proc/self/stat').rpartition(')').last.split[19].to_i
      rescue SystemCallError
        0
      end

      # When the process began, or a moment later: the kernel's clock goes in hundredths, and a program may be written just
      # before it is started. The interpreter itself takes about as long until it loads anything.
      def began
        seconds_up = File.read('/proc/uptime').to_f
        Time.now - (seconds_up - (start_ticks / TICKS_PER_SECOND)) + MOMENT
      end

      def command
        File.binread('/proc/self/cmdline').delete_suffix("\0").tr("\0", ' ').force_encoding(Encoding::UTF_8).scrub('?')
      rescue SystemCallError
        $PROGRAM_NAME
      end

      def folder_now
        Dir.pwd
      rescue SystemCallError
        ''
      end

      # A JSON string. The library for it is loaded only when somebody attaches.
      def quote(text)
        plain = text.dup.force_encoding(Encoding::UTF_8).scrub('?')
        escaped = plain.gsub(/["\\\u0000-\u001f]/) { |character| format('\\u%04x', character.ord) }
        %("#{escaped}")
      end
    end

    # Every fork goes through `_fork` (Kernel#fork, Process.fork, IO.popen("-")) or is made by `daemon`.
    module Forks
      def _fork
        pid = super
        Dormant.after_fork if pid.zero?
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
