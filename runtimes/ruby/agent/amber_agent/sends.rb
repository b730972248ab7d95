# frozen_string_literal: true

module AmberAgent
  # A request that the program itself sends to somebody: at the place where it is sent, and in the expressions of marks.
  # `url` is whole, `status` there once it has been answered. Most are no mark's, so the rest is read when it is asked for,
  # and only from what the objects of Net::HTTP hold.
  class Sending
    attr_reader :verb, :url
    attr_accessor :status

    def initialize(connection, request)
      own, scheme = held(connection, :@use_ssl) ? [443, 'https'] : [80, 'http']
      port = held(connection, :@port)
      path = held(request, :@path)
      @request = request
      @verb = held(request, :@method).upcase
      @url = Values.utf8(path.include?('://') ? path : "#{scheme}://#{held(connection, :@address)}#{":#{port}" unless port == own}#{path}")
    end

    # By their names in lower case.
    def headers
      @headers ||= (held(@request, :@header) || {}).transform_values { |values| values.size == 1 ? values.first : values }
    end

    def body
      @body ||= Content.given(held(@request, :@body), headers['content-type'].to_s)
    end

    def parts
      { 'method' => verb, 'url' => url, 'headers' => headers, 'body' => body, 'status' => status }.compact
    end

    private

    def held(object, name)
      object.instance_variable_get(name)
    end
  end

  # Marks where the program sends requests: told by a TracePoint aimed at the one method through which Net::HTTP, and what
  # stands on it, sends them. It is there while such a mark is on.
  class Sends
    OWNER = 'Net::HTTP'
    METHOD = :transport_request
    NOTE = 'no client of HTTP that is known is loaded yet: Net::HTTP, and what stands on it (Faraday)'
    # The frame of the project that sends, as an event that marks are passed with.
    Sender = Struct.new(:binding, :path, :lineno) do
      def self
        binding.receiver
      end
    end

    def initialize(session)
      @session = session
      Asking.sends = self
      @wanted = []
      @trace = nil
      # By thread, what it sends now; and what is looked at.
      @by_thread = {}.compare_by_identity
      @current = {}.compare_by_identity
    end

    # What is sent where this thread has stopped, or computes an expression of a mark; or nil.
    def current
      @current[Thread.current]
    end

    # The marks from now on.
    def wanted=(wanted)
      @wanted = wanted
      wanted.empty? ? remove : look
    end

    # Watch the client as soon as it is loaded.
    def look
      return if @wanted.empty? || @trace

      type = Functions.constant(OWNER) or return
      trace = TracePoint.new(:call, :return) do |event|
        changed(event) if event.method_id == METHOD
      rescue *Faults::OURS => error
        @session.trouble('reading a request that is sent failed', error)
      end
      trace.enable(target: RubyVM::InstructionSequence.of(type.instance_method(METHOD)))
      @trace = trace
    rescue NameError, ArgumentError
      @trace = nil
    end

    def note
      @trace ? '' : NOTE
    end

    def remove
      @wanted = []
      @trace&.disable
      @trace = nil
      @by_thread.clear
    end

    # The session is over.
    def leave
      remove
      Asking.sends = nil
    end

    private

    def changed(event)
      thread = Thread.current
      return if thread == @session.serving

      if event.event == :call
        @by_thread[thread] = sending = Sending.new(event.self, event.binding.local_variable_get(:req))
        return reached(sending, false)
      end
      sending = @by_thread.delete(thread)
      status = event.return_value&.instance_variable_get(:@code)
      return if sending.nil? || status.nil?

      sending.status = status.to_i
      reached(sending, true)
    end

    def reached(sending, is_answered)
      wanted = @wanted.select { |item| item.mark && item.asks_answer? == is_answered && item.matches?(sending) }
      return if wanted.empty?

      frames = Stack.frames.reject(&:native?)
      frame = frames.find { |each| !@session.foreign.foreign?(each.path) } || frames.first
      @current[Thread.current] = sending
      event = Sender.new(frame.binding, frame.path, frame.line)
      stopping = wanted.map(&:mark).select { |mark| mark.reached(event) }
      @session.stop_here('breakpoint', stopping.map(&:id), from: ->(each) { same?(each, frame) }) unless stopping.empty?
    ensure
      @current.delete(Thread.current)
    end

    def same?(one, other)
      one.path == other.path && one.line == other.line && one.name == other.name
    end
  end
end
