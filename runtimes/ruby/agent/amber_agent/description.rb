# frozen_string_literal: true

module AmberAgent
  # What others find of this process: the run folder, and in it the file that describes the process.
  module Description
    @signal = 0
    @written = nil

    class << self
      # The signal that wakes the agent; 0: none does.
      # The signal that wakes the agent; the file that claims the launch which this process is part of.
      attr_accessor :signal, :launch
      # The run folder that was named when the agent was brought in; nil: the user's own.
      attr_writer :named_folder

      # The folder of endpoints: the user's own, mode 0700, or the one AMBER_RUN_DIR names.
      # @raise [IOError] when somebody else could place a socket in it
      def run_folder
        named = @named_folder || ENV.fetch('AMBER_RUN_DIR', '')
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
               %("trouble":#{quote(@trouble.to_s)},#{launch_part}"client":#{client || 'null'}}\n)
        # Written beside and renamed: a reader never sees half of it.
        begin
          File.open("#{path}.new", File::WRONLY | File::CREAT | File::TRUNC, 0o600) { |file| file.write(text) }
        rescue SystemCallError
          File.unlink("#{path}.new") if File.exist?("#{path}.new")
          raise
        end
        File.rename("#{path}.new", path)
        @written = [pid, path]
      end

      def launch_part
        @launch ? %("launch":#{quote(File.basename(@launch))},) : ''
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

      # At exit: take the description away, unless a fork left us with the parent's.
      def forget
        return unless @written && @written[0] == Process.pid

        [@written[1], "#{@written[1].delete_suffix('.json')}.sock"].each do |path|
          File.unlink(path)
        rescue SystemCallError
          next
        end
      end

      # The file of another process (the parent's, after a fork) is not ours.
      def disown
        @written = nil
      end

      # Start time in clock ticks since boot (field 22 of /proc/PID/stat): tells a reused pid.
      def start_ticks
        File.binread('/proc/self/stat').rpartition(')').last.split[19].to_i
      rescue SystemCallError
        0
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
  end
end
