# frozen_string_literal: true

module AmberAgent
  # Remembers the code that the interpreter compiles, since it can not be asked for it later: a file's code is
  # where breakpoints are set, and the text of code without a file is nowhere else.
  #
  # Of a file the last few loads are kept; of evaluated text the last ones, up to a bound.
  module Recorder
    # A loaded piece of code: its root instruction sequence, its path, when it was loaded, and its text if it has
    # no file.
    Unit = Struct.new(:iseq, :path, :loaded_at, :text, :number) do
      # The file that its lines count in: a template's text is evaluated under the name of its file.
      def file
        number ? File.expand_path(path) : path
      end
    end

    LOADS_OF_A_FILE = 3
    EVALUATED = 500
    LONGEST_TEXT = 200_000

    @files = {}
    @absolute = {}
    @evaluated = []
    @number = 0
    @listener = nil

    class << self
      # Called with each Unit before it runs; nil for nobody.
      attr_writer :listener

      def start
        @trace = TracePoint.new(:script_compiled) { |event| compiled(event) }
        @trace.enable
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
        unit = text || iseq.absolute_path.nil? ? keep_text(iseq, path, text) : keep_file(iseq)
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

      def keep_text(iseq, path, text)
        text = nil if text && text.size > LONGEST_TEXT
        @evaluated.shift if @evaluated.size >= EVALUATED
        unit = Unit.new(iseq, path, Time.now, text, @number += 1)
        @evaluated << unit
        unit
      end
    end
  end
end
