# frozen_string_literal: true

require 'fiddle'

module AmberAgent
  # The code of files that were loaded before anybody wrote down what is loaded: found in the heap, where every piece
  # of code lies that can still be run. The interpreter keeps methods and blocks; what a file ran once has gone.
  module Gathered
    # What is left of a file, in the place of the root sequence that such a file had; or of code that no file has.
    class Remains
      attr_reader :path, :absolute_path, :roots

      def initialize(path, absolute_path, roots)
        @path = path
        @absolute_path = absolute_path
        @roots = roots
      end

      def label
        '<main>'
      end

      def trace_points
        []
      end

      def each_child(&block)
        @roots.each(&block)
      end
    end

    # Of an object's first word: its type, and what kind of internal object it is (gc.c, imemo.h; Ruby 3.1 to 3.4).
    TYPE = 0x1f
    INTERNAL = 0x1a
    KIND_SHIFT = 12
    KIND = 0xf
    SEQUENCE = 7
    WORD = 8

    class << self
      # What is loaded: a Remains for each file, and for each name of code that no file has. Empty where the interpreter is
      # built in another way than those that are known.
      def remains
        # What was made for the marks of a session before looks like the program's own code until it is collected.
        GC.start if defined?(Exchange) && Exchange.used?
        @named = {}
        known = sequences.select { |sequence| file_of(sequence) || nameless?(sequence) }
        inner = {}.compare_by_identity
        known.each { |sequence| sequence.each_child { |child| inner[child] = true } }
        known.reject { |sequence| inner.key?(sequence) }.group_by { |sequence| file_of(sequence) || [sequence.path] }.map do |path, roots|
          Remains.new(roots.first.path, (path if path.is_a?(String)), roots)
        end
      rescue Fiddle::DLError
        []
      ensure
        @forms = nil
      end

      private

      # The file of a sequence; a text that was evaluated under the name of a file (config.ru, a template) is of that file.
      def file_of(sequence)
        sequence.absolute_path || @named.fetch(sequence.path) do |path|
          whole = File.expand_path(path)
          @named[path] = File.file?(whole) ? whole : nil
        end
      end

      # Evaluated, or given on the command line; what is the interpreter's own, or ours, is neither. Our first words are
      # evaluated from outside, which has this name.
      def nameless?(sequence)
        !sequence.path.start_with?('<', FOLDER) && sequence.path != 'eval'
      end

      def sequences
        return [] unless layout_known?

        pointers = []
        was_off = GC.disable
        visit = Fiddle::Closure::BlockCaller.new(Fiddle::TYPE_INT, [Fiddle::TYPE_VOIDP, Fiddle::TYPE_VOIDP, Fiddle::TYPE_SIZE_T, Fiddle::TYPE_VOIDP]) do |from, to, stride, _|
          collect(from.to_i, to.to_i, stride, pointers)
          0
        end
        # It ends what the collector has begun; with the collector off nothing that was found can go meanwhile.
        function('rb_objspace_each_objects', [Fiddle::TYPE_VOIDP, Fiddle::TYPE_VOIDP], Fiddle::TYPE_VOID).call(visit, nil)
        pointers.map { |pointer| wrap(pointer) }
      ensure
        GC.enable if was_off == false
      end

      # What it takes is given back at once: the collector is off, and would leave it to a program that may not need to
      # collect for long.
      def collect(from, to, stride, pointers)
        bytes = Fiddle::Pointer.new(from)[0, to - from]
        words = bytes.unpack(form(stride, (to - from) / stride))
        words.each_with_index { |word, at| pointers << (from + (at * stride)) if sequence?(word) }
        bytes.clear
        words.clear
      end

      # The first word of each of so many objects, as `unpack` is told.
      def form(stride, count)
        (@forms ||= {})[[stride, count]] ||= "Qx#{stride - WORD}" * count
      end

      def sequence?(word)
        word & TYPE == INTERNAL && (word >> KIND_SHIFT) & KIND == SEQUENCE
      end

      # Whether a sequence that is known looks as it must, and comes back as itself.
      def layout_known?
        sample = RubyVM::InstructionSequence.of(method(:remains))
        pointer = function('rb_iseqw_to_iseq', [Fiddle::TYPE_VOIDP], Fiddle::TYPE_VOIDP).call(Fiddle.dlwrap(sample)).to_i
        sequence?(Fiddle::Pointer.new(pointer)[0, WORD].unpack1('Q')) && wrap(pointer).equal?(sample)
      end

      def wrap(pointer)
        Fiddle.dlunwrap(function('rb_iseqw_new', [Fiddle::TYPE_VOIDP], Fiddle::TYPE_VOIDP).call(pointer).to_i)
      end

      def function(name, arguments, result)
        (@functions ||= {})[name] ||= Fiddle::Function.new(Fiddle::Handle::DEFAULT[name], arguments, result, need_gvl: true)
      end
    end
  end
end
