# frozen_string_literal: true

require_relative 'capabilities'
require_relative 'wire'

module AmberAgent
  # Connections to a TCP endpoint that have not shown the token yet: they cost a few handles for a few seconds.
  #
  # Anybody who reaches the port may connect. Until the token is there nothing of the program is touched for them,
  # little is read, and a client that is attached does not notice. Each is told what this agent can do (`initialize`)
  # and has to bring the token with `attach`.
  class Lobby
    # Of more the one that has waited longest goes.
    MOST = 8
    SECONDS = 5.0
    # All that somebody without the token may send.
    MOST_BYTES = 65_536

    # One connection, with what it has said.
    class Visitor
      attr_reader :connection, :reader, :messages, :since
      # The arguments of its `initialize`, and how many bytes it has sent.
      attr_accessor :introduced, :said

      def initialize(connection)
        @connection = connection
        @reader = FrameReader.new
        @messages = []
        @since = Process.clock_gettime(Process::CLOCK_MONOTONIC)
        @said = 0
      end
    end

    def initialize(&refuses)
      @refuses = refuses
      @visitors = []
    end

    def connections
      @visitors.map(&:connection)
    end

    def empty?
      @visitors.empty?
    end

    def add(connection)
      drop(@visitors.first) if @visitors.size >= MOST
      @visitors << Visitor.new(connection)
    end

    # What has come from connections that are readable.
    # @yieldparam [Visitor] one that has brought the token; it is out of the lobby
    def hear(readable)
      @visitors.dup.each do |visitor|
        next unless readable.include?(visitor.connection)

        yield @visitors.delete(visitor) if brings_token?(visitor)
      rescue IOError, SystemCallError, BrokenFrame
        drop(visitor)
      end
    end

    def close_late
      now = Process.clock_gettime(Process::CLOCK_MONOTONIC)
      @visitors.dup.each { |visitor| drop(visitor) if now - visitor.since > SECONDS }
    end

    def close
      @visitors.dup.each { |visitor| drop(visitor) }
    end

    private

    def drop(visitor)
      @visitors.delete(visitor)
      visitor.connection.close
    end

    def brings_token?(visitor)
      chunk = visitor.connection.read_nonblock(65_536, exception: false)
      return false if chunk == :wait_readable
      raise BrokenFrame, 'nothing more' if chunk.nil?

      visitor.said += chunk.bytesize
      raise BrokenFrame, 'too much without the token' if visitor.said > MOST_BYTES

      visitor.messages.concat(visitor.reader.feed(chunk))
      until visitor.messages.empty?
        return true if token?(visitor.messages.first)

        answer(visitor, visitor.messages.shift)
      end
      false
    end

    def token?(message)
      message['command'] == 'attach' && !@refuses.call(arguments_of(message)['token'])
    end

    def answer(visitor, message)
      return refuse(visitor, message) unless message['command'] == 'initialize'

      visitor.introduced = arguments_of(message)
      body = Capabilities.for(visitor.introduced)
      send_to(visitor, response_to(message).merge('success' => true, 'body' => body))
    end

    def refuse(visitor, message)
      error = { 'id' => 1, 'format' => 'the token is missing or wrong' }
      answer = { 'success' => false, 'message' => 'refused', 'body' => { 'error' => error } }
      send_to(visitor, response_to(message).merge(answer))
      raise BrokenFrame, 'no token'
    end

    def send_to(visitor, message)
      visitor.connection.write_nonblock(Outbox.encode(message), exception: false)
    end

    def arguments_of(message)
      message['arguments'].is_a?(Hash) ? message['arguments'] : {}
    end

    def response_to(message)
      seq = message['seq'].is_a?(Integer) ? message['seq'] : 1
      command = message['command'].is_a?(String) ? message['command'] : ''
      { 'seq' => 1, 'type' => 'response', 'request_seq' => seq, 'command' => command }
    end
  end
end
