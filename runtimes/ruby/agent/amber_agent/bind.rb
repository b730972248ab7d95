# frozen_string_literal: true

require_relative 'hook'
require_relative 'lines'
require_relative 'quiet'
require_relative 'splicer'
require_relative 'standing'

module AmberAgent
  # Binds marks to code that is loaded: each stands in the code itself where it can (see Splicer), and until then at a
  # TracePoint aimed at its line alone, so that nothing else becomes slower. A thread that is inside the code already is
  # reached too.
  class Binder
    # What is done at one marked line of one loaded piece of code.
    class LinePoint
      def initialize(session, unit, line, lines, splicer)
        @session = session
        @unit = unit
        @line = line
        @splicer = splicer
        @lines = lines
        @calls = lines.calls_at(line)
        # By mark: the labels of the frames that pass it; nil: all do.
        @labels = {}.compare_by_identity
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

      # Out of the code for a moment, in which it is exchanged.
      def lift
        @traces.each(&:disable)
        @traces = []
      end

      # Into the code as it is now.
      def lower
        @traces = traces(block(@marks)) if @traces.empty? && !@marks.empty?
      end

      private

      def traces(block)
        if @calls.empty?
          return Lines.roots_at(@splicer.aims(@unit), @line).map do |root|
            TracePoint.new(:line, &block).tap { |trace| trace.enable(target: root, target_line: @line) }
          end
        end

        @calls.map { |iseq| TracePoint.new(:call, &block).tap { |trace| trace.enable(target: iseq) } }
      end

      def block(marks)
        mark = marks.first
        marks.each { |each| @labels[each] = @lines.labels_at(@line, each.words) if @calls.empty? }
        @asks_label = @labels.each_value.any?
        return proc { |event| passed(event) } if marks.size > 1 || @labels[mark] || mark.picks_requests?

        Hook.block(mark, @lines.locals_at(@line), ->(event, values) { held(mark, event, values) })
      end

      def held(mark, event, values)
        @session.stop_at_marks([mark], event) if mark.held(values, event)
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end

      def passed(event)
        label = caller_locations(2, 1).first.label if @asks_label
        stopping = @marks.select { |mark| (@labels[mark].nil? || @labels[mark].include?(label)) && mark.reached(event) }
        @session.stop_at_marks(stopping, event) unless stopping.empty?
      rescue *Faults::OURS => error
        @session.trouble('a mark failed', error)
      end
    end

    # Seconds from one look whether code rests to the next.
    LOOK_SECONDS = 0.5
    # A look goes over all objects that there are; it may take this part of the time.
    LOOK_SHARE = 50

    def initialize(session)
      @session = session
      @points = {}
      @lines = {}.compare_by_identity
      @splicer = Splicer.new(session)
      # By piece of code: the marks of each line. Those of `@unsettled` may come to stand in the code itself later. Threads
      # that load code write into these at any moment: whoever goes over them takes a copy.
      @placed = {}.compare_by_identity
      @unsettled = {}.compare_by_identity
      @next_look = 0
    end

    # Set the marks of one file; the others of it are taken out.
    def apply(path, marks)
      units = units_of(path)
      wanted = {}.compare_by_identity
      units.each { |unit| wanted[unit] = {} }
      marks.each { |mark| place(mark, units).each { |unit, line| (wanted[unit][line] ||= []) << mark } }
      @placed.keys.each { |unit| wanted[unit] ||= {} if same_path?(unit, path) }
      wanted.each do |unit, here|
        introduce(here)
        @placed[unit] = here
        settle(unit)
        @placed.delete(unit) if here.empty?
      end
    end

    # Code is about to run for the first time: its marks are set before it does.
    def loaded(unit, marks)
      here = {}
      meant = unit.part ? marks.select { |mark| unit.part.cover?(mark.asked_line) } : marks
      meant.each { |mark| place(mark, [unit]).each { |(_unit, line)| (here[line] ||= []) << mark } }
      return if here.empty?

      introduce(here)
      @placed[unit] = here
      here.each { |line, marks_here| set(unit, line, marks_here) }
      @unsettled[unit] = true
    end

    # Called now and then: what ran before may rest now, and what has been loaded was not looked at.
    def tick
      began = Process.clock_gettime(Process::CLOCK_MONOTONIC)
      return if @unsettled.empty? || began < @next_look

      @unsettled.keys.each { |unit| settle(unit, tell: true) }
      now = Process.clock_gettime(Process::CLOCK_MONOTONIC)
      @next_look = now + [LOOK_SECONDS, (now - began) * LOOK_SHARE].max
    end

    # Whether marks may stand in the code itself has become another question.
    def reconsider
      @placed.keys.each { |unit| settle(unit, tell: true) }
    end

    def restore
      points = @points
      @points = {}
      points.values.each(&:remove)
      @placed.clear
      @unsettled.clear
      @splicer.restore
    end

    # The sequences at which events of a piece of code are to be aimed.
    def aims(unit)
      @splicer.aims(unit)
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

    # Have the marks of one piece of code in the code itself as far as it can be, and at its lines where it cannot.
    def settle(unit, tell: false)
      here = @placed[unit] || {}
      points = @points.to_a.select { |(other, _line), _point| other.equal?(unit) }.to_h
      inside, settled = @splicer.bring(unit, lines_of(unit), within(here)) { points.each_value(&:lift) }
      settled ? @unsettled.delete(unit) : @unsettled[unit] = true
      points.each { |key, point| drop(key, point) unless here.key?(key[1]) && !inside.key?(key[1]) }
      here.each { |line, marks| set(unit, line, marks) unless inside.key?(line) }
      here.each_value { |marks| marks.each { |mark| route(mark, tell) } }
    end

    # The marks that may stand in the code itself: one at a line.
    def within(here)
      return {} if @session.raised.on?

      here.select { |_line, marks| marks.size == 1 && Splicing.takes?(marks.first) }.transform_values(&:first)
    end

    def drop(key, point)
      @points.delete(key)
      point.remove
    end

    # Which way a mark has come to be at all of its places.
    def route(mark, tell)
      places = @placed.to_a.select { |_unit, here| here[mark.line]&.include?(mark) }.map(&:first)
      spliced = !places.empty? && places.all? { |unit| @splicer.at?(unit, mark.line) }
      return if mark.spliced == spliced

      mark.spliced = spliced
      @session.mark_changed(mark) if tell
    end

    def set(unit, line, marks)
      point = @points[[unit, line]] ||= LinePoint.new(@session, unit, line, lines_of(unit), @splicer)
      point.marks = marks
      point.lower
    rescue ArgumentError
      marks.each do |mark|
        mark.bound = false
        mark.reason = 'no statement begins at this line'
      end
    end

    # Where a mark belongs: [[unit, line]…]; tells the mark.
    def place(mark, units)
      return refuse(mark, 'the file is not loaded yet') if units.empty?

      units = those_with(mark.asked_line, units)
      return refuse(mark, 'there is no code at or after this line') if units.empty?

      stale = units.last
      return refuse(mark, 'the file on disk is not the code that is running') if stale.number.nil? && changed?(stale)

      places = units.filter_map do |unit|
        line = lines_of(unit).place(mark.asked_line)
        [unit, line] if line
      end
      return refuse(mark, 'there is no code at or after this line') if places.empty?

      mark.bound = true
      mark.line = places.last[1]
      mark.standing = standing_at(places) if mark.follows?
      mark.note = [Yjit.note, once(places)].reject(&:empty?).join('; ')
      places
    end

    def standing_at(places)
      (unit, line), *others = places
      opens = places.any? { |one, at| lines_of(one).opens_at?(at) }
      Standing.new(line, opens, *(lines_of(unit).effects_at(line) if others.empty?))
    end

    # Lines that are followed know which others are. `here`: the marks of each line of a piece of code.
    def introduce(here)
      followed = here.select { |_line, marks| marks.any?(&:follows_all?) }.keys
      here.each_value { |marks| marks.each { |mark| mark.standing&.among(followed) } }
    end

    # Where methods of a file were taken over since, their lines are those of what was taken over last.
    def those_with(line, units)
      parts = units.select { |unit| unit.part&.cover?(line) }
      parts.empty? ? units.reject(&:part) : parts.last(1)
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
      iseq = Exchange.own(iseq)
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
