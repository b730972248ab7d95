# frozen_string_literal: true

require 'fiddle'

module AmberAgent
  # One frame of a thread: where it stands, and its binding (nil for the interpreter's own functions in C).
  class Frame
    # `written_path`: as the program named the file, which is how events name it.
    attr_reader :path, :written_path, :line, :binding, :iseq

    def initialize(location, binding, owner, iseq)
      @path = location.absolute_path || location.path
      @written_path = location.path
      @line = location.lineno
      @label = location.label
      @method = location.base_label
      @binding = binding
      @owner = owner
      @iseq = iseq
    end

    # A function in C: it has no variables.
    def native?
      @binding.nil?
    end

    # A function in C, or one in Ruby that is part of the interpreter.
    def interpreters_own?
      native? || @path.start_with?('<internal:')
    end

    def block?
      @label.start_with?('block ')
    end

    # The name of the method, or of what stands in its place (`<main>`), whatever blocks of it this frame runs.
    attr_reader :method

    # `Class#method`, `Class.method`, with the blocks around it as Ruby says them: `block in Class#method`.
    def name
      return @label if @label.include?('#') || @label.include?('.') || @owner.nil? || @method.start_with?('<')

      @label.sub(/#{Regexp.escape(@method)}\z/) { "#{owner_name}#{@method}" }
    end

    private

    def owner_name
      return '' unless Module === @owner

      if @owner.singleton_class?
        attached = @binding&.receiver
        return Module === attached ? "#{Values.module_name(attached)}." : 'self.'
      end
      # A template's method, for instance, is in a class without a name, which says nothing.
      @owner.equal?(Object) || Values::NAME.bind_call(@owner).nil? ? '' : "#{Values.module_name(@owner)}#"
    end
  end

  # The frames of the running thread, with their bindings, from the interpreter's interface for debuggers
  # (debug_inspector of Ruby's C API). `need_gvl`: without it the functions crash under threads.
  module Stack
    HANDLE = Fiddle.dlopen(nil)
    POINTER = Fiddle::TYPE_VOIDP

    def self.function(name, *arguments)
      Fiddle::Function.new(HANDLE[name], arguments, POINTER, need_gvl: true)
    end
    private_class_method :function

    OPEN = function('rb_debug_inspector_open', POINTER, POINTER)
    LOCATIONS = function('rb_debug_inspector_backtrace_locations', POINTER)
    BINDING = function('rb_debug_inspector_frame_binding_get', POINTER, Fiddle::TYPE_LONG)
    OWNER = function('rb_debug_inspector_frame_class_get', POINTER, Fiddle::TYPE_LONG)
    ISEQ = function('rb_debug_inspector_frame_iseq_get', POINTER, Fiddle::TYPE_LONG)
    NIL = Fiddle.dlwrap(nil)

    # Fills the list that is being made by the thread that called.
    class Collector < Fiddle::Closure
      def call(inspector, _data)
        read(inspector, Thread.current.thread_variable_get(:amber_frames))
        Fiddle::Pointer[NIL]
      rescue StandardError
        Fiddle::Pointer[NIL]
      end

      private

      def read(inspector, frames)
        locations = Fiddle.dlunwrap(LOCATIONS.call(inspector).to_i)
        locations.each_with_index do |location, index|
          next if (location.path || '').start_with?(FOLDER)

          binding, owner, iseq = [BINDING, OWNER, ISEQ].map { |get| Fiddle.dlunwrap(get.call(inspector, index).to_i) }
          frames << Frame.new(location, binding, owner, iseq)
        end
      end
    end
    COLLECTOR = Collector.new(POINTER, [POINTER, POINTER])

    class << self
      # The program's frames, the innermost first; ours are left out.
      def frames
        thread = Thread.current
        found = []
        thread.thread_variable_set(:amber_frames, found)
        OPEN.call(COLLECTOR, 0)
        # A stop is at a line of a file: an error that a function of the interpreter itself raises is shown where
        # the function was called.
        found.drop_while(&:interpreters_own?)
      ensure
        thread.thread_variable_set(:amber_frames, nil)
      end

      # How many frames of the program there are.
      def depth
        caller_locations(1).count { |location| !location.path.start_with?(FOLDER) }
      end
    end
  end
end
