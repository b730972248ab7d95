# frozen_string_literal: true

module AmberAgent
  # Which HTTP request each thread serves: told by TracePoints aimed at the one method through which a server's
  # requests all go. What a thread does that serves none, or that the program starts by itself, belongs to none.
  class Served
    # `told`: whether the client has been told of it.
    Request = Struct.new(:id, :verb, :target, :traceparent, :told) do
      def describe
        { 'id' => id, 'method' => verb, 'target' => target, 'traceparent' => traceparent }
      end
    end

    # A server's class, its method, and how to read the request from that method's arguments.
    RACK = lambda do |binding|
      env = binding.local_variable_get(:client).env
      query = env['QUERY_STRING']
      path = env['REQUEST_PATH'] || env['PATH_INFO']
      target = env['REQUEST_URI'] || (query.nil? || query.empty? ? path : "#{path}?#{query}")
      [env['REQUEST_METHOD'], target, env['HTTP_TRACEPARENT']]
    end
    WEBRICK = lambda do |binding|
      request = binding.local_variable_get(:req)
      [request.request_method, request.unparsed_uri, request['traceparent']]
    end
    ENTRIES = [['Puma::Server', :handle_request, RACK], ['WEBrick::HTTPServer', :service, WEBRICK]].freeze

    # The marks that stop at requests (WantedRequest).
    attr_accessor :wanted

    def initialize(session)
      @session = session
      @wanted = []
      # By thread, the TracePoints that wait for its first line.
      @first_lines = {}.compare_by_identity
      @by_thread = {}.compare_by_identity
      @watched = {}
      @next = 0
    end

    # Watch the servers that are loaded by now.
    def look
      @by_thread.delete_if { |thread, _request| !thread.alive? }
      ENTRIES.each do |entry|
        name, method, read = entry
        next if @watched.key?(entry)

        type = Functions.constant(name)
        @watched[entry] = watch(type.instance_method(method), read) if type
      rescue NameError, ArgumentError
        @watched[entry] = nil
      end
    end

    # The request that this thread serves, or nil.
    def current
      @by_thread[Thread.current]
    end

    # What is to be said of a mark at requests.
    def note
      @watched.values.any? ? '' : 'no server that is known is loaded yet: puma or WEBrick'
    end

    def remove
      @wanted = []
      @first_lines.each_value { |traces| traces.each(&:disable) }
      @watched.each_value { |trace| trace&.disable }
      @watched = {}
      @by_thread.clear
    end

    private

    # Have this thread stop at the next line that it runs of the project's code.
    def expect_first_line(marks)
      thread = Thread.current
      # What frameworks generate has no file; it is not the project's.
      units = @session.foreign.project_units.select { |unit| unit.number.nil? || File.file?(unit.path) }
      @first_lines[thread] = units.filter_map do |unit|
        Aimed.at(unit.iseq, :line) { |event| first_line(event, marks) if Thread.current == thread }
      end
    end

    def first_line(event, marks)
      traces = @first_lines.delete(Thread.current)
      return if traces.nil?

      traces.each(&:disable)
      stopping = marks.select { |mark| mark.reached(event) }
      @session.stop_at_marks(stopping, event) unless stopping.empty?
    rescue *Faults::OURS => error
      @session.trouble('stopping at a request failed', error)
    end

    def watch(method, read)
      iseq = RubyVM::InstructionSequence.of(method)
      trace = TracePoint.new(:call, :return) do |event|
        # Blocks and methods that are defined inside have events of their own.
        changed(event, read) if event.method_id == method.name
      rescue *Faults::OURS => error
        @session.trouble('reading a request failed', error)
      end
      trace.enable(target: iseq)
      trace
    end

    def changed(event, read)
      if event.event == :return
        @by_thread.delete(Thread.current)
        @first_lines.delete(Thread.current)&.each(&:disable)
        return
      end
      verb, target, traceparent = read.call(event.binding)
      request = Request.new(@next += 1, Values.utf8(verb.to_s), Values.utf8(target.to_s), traceparent)
      @by_thread[Thread.current] = request
      marks = @wanted.select { |item| item.mark && item.matches?(request) }.map(&:mark)
      expect_first_line(marks) unless marks.empty?
    end
  end
end
