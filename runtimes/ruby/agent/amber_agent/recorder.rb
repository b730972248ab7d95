# frozen_string_literal: true

module AmberAgent
  # Remembers the code that the interpreter compiles, since it can not be asked for it later: a file's code is
  # where breakpoints are set, and the text of code without a file is nowhere else.
  #
  # Of a file the last few loads are kept; of evaluated text the last ones, up to a bound.
  module Recorder
    # A loaded piece of code: its root instruction sequence, its path, when it was loaded, and its text if it has
    # no file.
    # `part`: of one that stands for some lines of its file only, which these are.
    Unit = Struct.new(:iseq, :path, :loaded_at, :text, :number, :part) do
      # The file that its lines count in: a template's text is evaluated under the name of its file. What has no file goes
      # by its own name.
      def file
        @file ||= number ? Recorder.name_of(path) : path
      end

      # Text that was given on the command line is not told to anybody who asks what is compiled.
      def content
        text || (Recorder.command if path == COMMAND)
      end

      # The sequences that events can be aimed at: its root, or what is left of one that was loaded before our time.
      def iseqs
        remains? ? iseq.roots : [iseq]
      end

      def remains?
        !iseq.is_a?(RubyVM::InstructionSequence)
      end
    end

    LOADS_OF_A_FILE = 3
    # How the interpreter names what was given with this option.
    COMMAND = '-e'
    EVALUATED = 500
    LONGEST_TEXT = 200_000

    @files = {}
    @absolute = {}
    @evaluated = []
    @number = 0
    @listener = nil

    class << self
      # What is evaluated meanwhile stands for these lines of its file.
      def as_part(lines)
        @part = lines
        yield
      ensure
        @part = nil
      end

      # Called with each Unit before it runs; nil for nobody.
      attr_writer :listener

      def start
        @trace = TracePoint.new(:script_compiled) { |event| compiled(event) }
        @trace.enable
      end

      # Write down what was loaded before: an array of Gathered::Remains.
      # @param began when the process began; a file that was changed since may be another by now
      def gather(found, began)
        nameless, files = found.partition { |remains| remains.absolute_path.nil? }
        nameless.each { |remains| keep_text(remains, remains.path, kept(remains.roots.first), began) }
        files.each do |remains|
          next if @files.key?(remains.absolute_path) || remains.absolute_path.start_with?(FOLDER)

          @files[remains.absolute_path] = [Unit.new(remains, remains.absolute_path, began)]
          @absolute[remains.path] = remains.absolute_path
        end
      end

      # Nobody asks any more, and nothing is kept.
      def stop
        @trace&.disable
        @trace = nil
        [@files, @absolute, @evaluated].each(&:clear)
      end

      # The file that evaluated text was given as its own, or the name that it goes by.
      def name_of(path)
        File.file?(path) ? File.expand_path(path) : path
      end

      # What was given with `-e`, each on a line of its own; nil where the system does not tell.
      def command
        words = File.binread('/proc/self/cmdline').split("\0")
        given = words.each_cons(2).filter_map { |option, text| text if option == COMMAND }
        given.join("\n").force_encoding(Encoding::UTF_8)
      rescue SystemCallError
        nil
      end

      # The newest Unit for each name of code that no file has.
      def nameless
        @evaluated.reject { |unit| File.file?(unit.path) }.to_h { |unit| [unit.path, unit] }.values
      end

      # Every Unit that is known, those of files first.
      def units
        @files.values.flatten + @evaluated
      end

      # The Units of one file, as it was named or by its real path.
      def of(path)
        @files[path] || []
      end

      # Code without a file: the Unit with this number, or nil.
      def numbered(number)
        @evaluated.find { |unit| unit.number == number }
      end

      # The newest Unit of evaluated text that a line in `path` may be from.
      def evaluated(path)
        @evaluated.reverse_each.find { |unit| unit.path == path }
      end

      def files
        @files.keys
      end

      # The whole path of a file that the interpreter names as the program did (`app.rb`).
      def absolute(path)
        @absolute[path] || File.expand_path(path)
      end

      private

      def compiled(event)
        iseq = event.instruction_sequence
        path = iseq.path
        return if path.start_with?(FOLDER)

        text = event.eval_script
        # ERB templates and the like are evaluated under the name of their file.
        unit = text || iseq.absolute_path.nil? ? keep_text(iseq, path, text, Time.now) : keep_file(iseq)
        @listener&.call(unit)
      rescue StandardError
        # The program's code is loaded all the same.
      end

      def keep_file(iseq)
        unit = Unit.new(iseq, iseq.absolute_path, Time.now)
        @absolute[iseq.path] = unit.path
        loads = (@files[unit.path] ||= [])
        loads << unit
        loads.shift if loads.size > LOADS_OF_A_FILE
        unit
      end

      # The interpreter keeps texts where the program asks for it.
      def kept(iseq)
        iseq.script_lines&.join if iseq.respond_to?(:script_lines)
      end

      def keep_text(iseq, path, text, loaded_at)
        text = nil if text && text.size > LONGEST_TEXT
        @evaluated.shift if @evaluated.size >= EVALUATED
        unit = Unit.new(iseq, path, loaded_at, text, @number += 1, @part)
        @evaluated << unit
        unit
      end
    end
  end
end
