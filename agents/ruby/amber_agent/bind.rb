# frozen_string_literal: true

require_relative 'hook'
require_relative 'lines'
require_relative 'quiet'

module AmberAgent
  # Binds marks to code that is loaded: one TracePoint for each marked line of each loaded piece of code, aimed at
  # that line alone, so that nothing else becomes slower. A thread that is inside the code already is reached too.
  class Binder
    # What is done at one marked line of one loaded piece of code.
    class LinePoint
      def initialize(session, unit, line, lines)
        @session = session
        @unit = unit
        @line = line
        @calls = lines.calls_at(line)
        @labels = @calls.empty? ? lines.labels_at(line) : nil
        @locals = @labels ? nil : lines.locals_at(line)
        @marks = []
        @traces = []
      end

      def marks=(marks)
        return if @marks == marks

        @traces.each(&:disable)
        @marks = marks
        @traces = marks.empty? ? [] : traces(block(marks))
      end

      def remove
        self.marks = []
      end

      private

      def traces(block)
        if @calls.empty?
          return Lines.roots_at(@unit, @line).map do |root|
            TracePoint.new(:line, &block).tap { |trace| trace.enable(target: root, target_line: @line) }
          end
        end

        @calls.map { |iseq| TracePoint.new(:call, &block).tap { |trace| trace.enable(target: iseq) } }
      end

      def block(marks)
        mark = marks.first
        return proc { |event| passed(event) } if marks.size > 1 || @labels || mark.picks_requests?

        Hook.block(mark, @locals, ->(event, values) { held(mark, event, values) })
      end

      def held(mark, event, values)
        @session.stop_at_marks([mark], event) if mark.held(values, event)
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end

      def passed(event)
        return if @labels && !@labels.include?(caller_locations(2, 1).first.label)

        stopping = @marks.select { |mark| mark.reached(event) }
        @session.stop_at_marks(stopping, event) unless stopping.empty?
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end
    end

    def initialize(session)
      @session = session
      @points = {}
      @lines = {}.compare_by_identity
    end

    # Set the marks of one file; the others of it are taken out.
    def apply(path, marks)
      units = units_of(path)
      wanted = {}
      marks.each { |mark| place(mark, units).each { |key| (wanted[key] ||= []) << mark } }
      (@points.keys.select { |unit, _line| units.include?(unit) || same_path?(unit, path) } - wanted.keys).each do |key|
        @points.delete(key).remove
      end
      wanted.each { |(unit, line), here| set(unit, line, here) }
    end

    # Code is about to run for the first time: its marks are set before it does.
    def loaded(unit, marks)
      marks.each { |mark| place(mark, [unit]).each { |(_unit, line)| set(unit, line, marks_at(marks, line)) } }
    end

    def restore
      points = @points
      @points = {}
      points.values.each(&:remove)
    end

    # Everything that was loaded from `path`, the newest last.
    def units_of(path)
      Recorder.of(path) + Recorder.units.select { |unit| unit.number && same_path?(unit, path) }
    end

    def lines_of(unit)
      @lines[unit] ||= Lines.new(unit.iseq)
    end

    private

    def same_path?(unit, path)
      unit.file == path || unit.path == path
    end

    def marks_at(marks, line)
      marks.select { |mark| mark.bound && mark.line == line }
    end

    def set(unit, line, marks)
      point = @points[[unit, line]] ||= LinePoint.new(@session, unit, line, lines_of(unit))
      point.marks = marks
    rescue ArgumentError
      marks.each do |mark|
        mark.bound = false
        mark.reason = 'no statement begins at this line'
      end
    end

    # Where a mark belongs: [[unit, line]…]; tells the mark.
    def place(mark, units)
      return refuse(mark, 'the file is not loaded yet') if units.empty?

      stale = units.last
      return refuse(mark, 'the file on disk is not the code that is running') if stale.number.nil? && changed?(stale)

      places = units.filter_map do |unit|
        line = lines_of(unit).place(mark.asked_line)
        [unit, line] if line
      end
      return refuse(mark, 'there is no code at or after this line') if places.empty?

      mark.bound = true
      mark.line = places.last[1]
      mark.opens = places.any? { |unit, line| lines_of(unit).opens_at?(line) }
      mark.note = [Yjit.note, once(places)].reject(&:empty?).join('; ')
      places
    end

    # Code that was loaded before the mark was set may never run again.
    def once(places)
      return '' unless places.all? { |unit, line| lines_of(unit).of_the_file?(line) }

      'a line of the file itself: it runs only while the file is being loaded'
    end

    def refuse(mark, reason)
      mark.bound = false
      mark.reason = reason
      []
    end

    # Whether the file has been changed since it was loaded: the lines that begin statements are others.
    def changed?(unit)
      return false if File.mtime(unit.path) <= unit.loaded_at

      now = Quiet.compile(File.read(unit.path), unit.path)
      unit.remains? ? !unit.iseqs.all? { |root| within?(now, root) } : shape(unit.iseq) != shape(now)
    rescue SystemCallError
      false
    rescue SyntaxError
      true
    end

    # Whether a sequence is among those of a file, as it is now.
    def within?(file, sequence)
      return true if shape(file) == shape(sequence)

      found = false
      file.each_child { |child| found ||= within?(child, sequence) }
      found
    end

    def shape(iseq)
      inner = []
      iseq.each_child { |child| inner << shape(child) }
      # The whole file is called otherwise when it is compiled alone.
      label = iseq.label.start_with?('<') ? '' : iseq.label
      [label, iseq.trace_points, iseq.disasm.scan(/^\d+ +(\w+ +[^(\n]*)/), inner]
    end
  end

  # YJIT throws away the code that it has compiled when an event is first asked for, for good.
  module Yjit
    def self.note
      return '' unless defined?(RubyVM::YJIT) && RubyVM::YJIT.respond_to?(:enabled?) && RubyVM::YJIT.enabled?

      'YJIT throws its compiled code away for a mark: the program starts anew to be compiled'
    end
  end
end
