# frozen_string_literal: true

require_relative 'asking'

module AmberAgent
  # Which HTTP request each thread serves: told by TracePoints aimed at the one method through which a server's
  # requests all go. Threads of the program write into what is kept here at any moment, and a hash takes no new key
  # while somebody goes over it: whoever does takes a copy.
  #
  # What a thread does that serves none, or that the program starts by itself, belongs to none.
  class Served
    # `told`: whether the client has been told of it. `header`: gives a header by its name, or nil. `headers`: all of
    # them by name; `read`: what the program has read of its body; `answer`: what it has answered so far, from the
    # receivers of the frames that serve it. `at`: microseconds of the monotonic clock.
    Request = Struct.new(:id, :verb, :target, :header, :headers, :read, :answer, :at, :status, :told, :carried) do
      def traceparent
        @traceparent ||= header.call('traceparent')
      end

      def describe
        { 'id' => id, 'method' => verb, 'target' => target, 'traceparent' => traceparent }
      end
    end

    # How to read a request from the arguments of the method that serves it (method, target, one header, all of them,
    # what has been read of its body, its answer), and the status of its answer when the method is done.
    Entry = Struct.new(:owner, :method, :read, :status)

    # What Rack calls the environment of a request (Rack's SPEC, "The Environment").
    FROM_RACK = lambda do |env|
      query = env['QUERY_STRING']
      path = env['REQUEST_PATH'] || "#{env['SCRIPT_NAME']}#{env['PATH_INFO']}"
      target = env['REQUEST_URI'] || (query.nil? || query.empty? ? path : "#{path}?#{query}")
      header = ->(name) { env["HTTP_#{name.upcase.tr('-', '_')}"] }
      [env['REQUEST_METHOD'], target, header, -> { Carried.headers_of(env) }, -> { Content.parts_of(env) }, ->(receivers) { Content.answer_in(env, receivers) }]
    end
    PUMA = Entry.new(
      'Puma::Server', :handle_request,
      ->(event) { FROM_RACK.call(event.binding.local_variable_get(:client).env) },
      ->(event) { event.binding.local_variable_get(:status) }
    )
    WEBRICK = Entry.new(
      'WEBrick::HTTPServer', :service,
      lambda do |event|
        request = event.binding.local_variable_get(:req)
        headers = -> { request.header.transform_values { |values| values.size > 1 ? values : values.first } }
        answer = event.binding.local_variable_get(:res)
        [request.request_method, request.unparsed_uri, ->(name) { request[name] }, headers, -> { Content.of_webrick(request) }, ->(_) { Content.answer_of(answer) }]
      end,
      ->(event) { event.binding.local_variable_get(:res).status }
    )
    # A job of a worker: its path is the name of its class, its headers are what its queue says of it.
    SIDEKIQ = Entry.new(
      'Sidekiq::Processor', :dispatch,
      lambda do |event|
        job = event.binding.local_variable_get(:job_hash)
        headers = job.except('args').to_h { |name, value| [name, value.to_s] }
        ['JOB', "/#{job['wrapped'] || job['class']}", ->(name) { headers[name.downcase] }, -> { headers }, -> { {} }, ->(_) { {} }]
      end,
      ->(_event) {}
    )
    # An application of the project's own, called with the environment of a request by whichever server.
    RACK = Entry.new(
      nil, :call,
      lambda do |event|
        env = event.binding.local_variable_get(event.parameters.first.last)
        FROM_RACK.call(env) if env.is_a?(Hash) && env['REQUEST_METHOD'].is_a?(String)
      end,
      ->(event) { event.return_value.first }
    )
    ENTRIES = [PUMA, WEBRICK, SIDEKIQ].freeze
    # The one method through which requests to other services go: Net::HTTP and what stands on it.
    CLIENT = ['Net::HTTP', :transport_request].freeze

    # The marks that stop at requests (WantedRequest).
    attr_accessor :wanted

    def initialize(session)
      @session = session
      Asking.served = self
      @wanted = []
      # By thread, the TracePoints that wait for its first line.
      @first_lines = {}.compare_by_identity
      @by_thread = {}.compare_by_identity
      # By thread, through which entry its request came.
      @entries = {}.compare_by_identity
      @watched = {}.compare_by_identity
      @looked_at = {}.compare_by_identity
      @next = 0
    end

    # Watch the servers that are loaded by now, and the project's own Rack applications.
    def look
      @by_thread.keys.each { |thread| @by_thread.delete(thread) unless thread.alive? }
      ENTRIES.each do |entry|
        next if @watched.key?(entry)

        type = Functions.constant(entry.owner)
        @watched[entry] = watch(RubyVM::InstructionSequence.of(type.instance_method(entry.method)), entry) if type
      rescue NameError, ArgumentError
        @watched[entry] = nil
      end
      look_for_client
      look_for_applications
    end

    # The request that this thread serves, or nil.
    def current
      @by_thread[Thread.current]
    end

    # What is to be said of a mark at requests.
    def note
      @watched.to_a.any? { |entry, trace| trace && entry != CLIENT } ? '' : 'no server that is known is loaded yet: puma, WEBrick, a Rack application, Sidekiq'
    end

    def remove
      Asking.served = nil
      @wanted = []
      @first_lines.values.each { |traces| traces.each(&:disable) }
      @watched.values.each { |trace| trace&.disable }
      @watched.clear
      @looked_at.clear
      @by_thread.clear
      @entries.clear
    end

    private

    # Have this thread stop at the next line that it runs of the project's code.
    def expect_first_line(marks)
      thread = Thread.current
      # What frameworks generate has no file; it is not the project's.
      units = @session.foreign.project_units.select { |unit| unit.number.nil? || File.file?(unit.path) }
      @first_lines[thread] = units.flat_map(&:iseqs).filter_map do |iseq|
        Aimed.at(iseq, :line) { |event| first_line(event, marks) if Thread.current == thread }
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

    def look_for_client
      return if @watched.key?(CLIENT)

      name, method = CLIENT
      type = Functions.constant(name)
      return if type.nil?

      trace = TracePoint.new(:call) do |event|
        request = current
        @session.hits.called(request, event.binding.local_variable_get(:req)['traceparent']) if request && event.method_id == method
      rescue *Faults::OURS => error
        @session.trouble('reading a call failed', error)
      end
      trace.enable(target: RubyVM::InstructionSequence.of(type.instance_method(method)))
      @watched[CLIENT] = trace
    rescue NameError, ArgumentError
      @watched[CLIENT] = nil
    end

    # Methods `call` with one argument in code of the project: each is asked once what it is called with.
    def look_for_applications
      @session.foreign.project_units.each do |unit|
        next if @looked_at.key?(unit)

        @looked_at[unit] = true
        unit.iseqs.flat_map { |root| applications_in(root) }.each { |iseq| @watched[iseq] = watch(iseq, RACK) }
      end
    end

    def applications_in(iseq)
      found = []
      iseq.each_child do |child|
        is_method = child.trace_points.any? { |_line, event| event == :call }
        found << child if is_method && child.base_label == 'call' && child.to_a[4][:arg_size] == 1
        found.concat(applications_in(child))
      end
      found
    end

    def watch(iseq, entry)
      trace = TracePoint.new(:call, :return) do |event|
        # Blocks and methods that are defined inside have events of their own.
        changed(event, entry) if event.method_id == entry.method
      rescue *Faults::OURS => error
        @session.trouble('reading a request failed', error)
      end
      trace.enable(target: iseq)
      trace
    end

    def changed(event, entry)
      event.event == :return ? finish(event, entry) : start(event, entry)
    end

    def start(event, entry)
      # A server that is known calls the application too: it is one request.
      return if [RACK, SIDEKIQ].include?(entry) && @by_thread.key?(Thread.current)

      verb, target, *read = entry.read.call(event)
      return if verb.nil?

      at = Process.clock_gettime(Process::CLOCK_MONOTONIC, :microsecond)
      request = Request.new(@next += 1, Values.utf8(verb.to_s), Values.utf8(target.to_s), *read, at)
      @by_thread[Thread.current] = request
      @entries[Thread.current] = entry
      @session.hits.begun(request)
      marks = @wanted.select { |item| item.mark && item.matches?(request) }.map(&:mark)
      expect_first_line(marks) unless marks.empty?
    end

    def finish(event, entry)
      return unless @entries[Thread.current].equal?(entry)

      @entries.delete(Thread.current)
      request = @by_thread.delete(Thread.current)
      @first_lines.delete(Thread.current)&.each(&:disable)
      return if request.nil?

      request.status = status_of(event, entry)
      @session.hits.ended(request)
    end

    # The status of the answer, or nil where there is none: the method was left by an error.
    def status_of(event, entry)
      status = entry.status.call(event)
      status.is_a?(Integer) && status.between?(100, 599) ? status : nil
    rescue StandardError
      nil
    end
  end
end
