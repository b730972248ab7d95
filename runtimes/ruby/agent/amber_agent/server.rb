# frozen_string_literal: true

require_relative 'endpoint'
require_relative 'lobby'
require_relative 'session'
require_relative 'wire'

module AmberAgent
  # The serving thread: waits for one client, passes its messages to a session, and leaves nothing behind.
  #
  # It is the only thread that reads or writes the client's socket. It ends when the client has gone, or when none
  # came; the process is then as it was before the signal.
  class Server
    # How long a woken agent waits for its client before it sleeps again.
    IDLE_SECONDS = 10.0
    # A client of ours sends something at least every 5 s; after this long without it, while something is paused,
    # the client is gone or stopped and the program must go on.
    SILENCE_SECONDS = 20.0
    # A client that comes while another is attached is answered after this long: the other may be leaving.
    GRACE_SECONDS = 0.3
    # A program that ends waits for no longer than this until all that it has told is sent.
    LAST_SECONDS = 1.0
    # Seconds between two tries to tell what a client does not take yet.
    UNSENT_SECONDS = 0.02
    CHUNK = 262_144

    # A connection that came while another client was attached, with what it has said.
    class Waiting
      # `introduced`: the arguments of an `initialize` that has been answered already.
      attr_reader :connection, :reader, :messages, :since, :introduced

      def initialize(connection, reader: FrameReader.new, messages: [], introduced: nil)
        @connection = connection
        @reader = reader
        @messages = messages
        @introduced = introduced
        @since = Server.now
      end
    end

    @current = nil

    class << self
      def now
        Process.clock_gettime(Process::CLOCK_MONOTONIC)
      end

      # Who is attached now, or nil.
      def session
        @current&.session
      end

      # The program ends: waits until what it has told is sent, for as long as a client takes it and not for long.
      def last_words
        @current&.last_words
      end

      # Serve clients until there are none.
      def serve
        endpoint = Endpoint.new
        lobby = Lobby.new { |token| endpoint.refuses?(token) }
        waiting = nil
        loop do
          @current = new(endpoint, lobby)
          begin
            @current.run(waiting)
          rescue StandardError, ScriptError, SystemStackError => error
            # Of this client's session; the next one has another.
            Description.tell(error)
          ensure
            waiting = @current&.close
            @current = nil
          end
          return unless endpoint.there?
          next if waiting || endpoint.lasting?

          # A client that came back at once may wait in the queue of the socket.
          endpoint, connection = endpoint.renewed
          return if connection.nil?

          waiting = Waiting.new(connection)
        end
      ensure
        lobby&.close
        endpoint&.close
      end

      # In a forked child: the parent's thread does not exist here; let go of its sockets and marks.
      def after_fork
        current = @current
        @current = nil
        current&.abandon
      end
    end

    attr_reader :session

    def initialize(endpoint, lobby)
      @endpoint = endpoint
      @lobby = lobby
      @waker = Waker.new
      @outbox = Outbox.new(@waker)
      @client = nil
      @session = nil
      @heard = Server.now
      @refused = []
      @taken_by = ''
    end

    # Serve one client to its end, or return when none comes. `waiting` is a Waiting whose turn has come, or nil.
    def run(waiting)
      started = Server.now
      reader = waiting ? waiting.reader : FrameReader.new
      admit(waiting) if waiting
      loop do
        return if @client.nil? && !@endpoint.lasting? && Server.now - started > IDLE_SECONDS

        readable, = IO.select(sources, sinks, nil, patience)
        readable ||= []
        @waker.clear if readable.include?(@waker.reading)
        accept if readable.include?(@endpoint.socket)
        @refused.dup.each { |other| hear(other) if readable.include?(other.connection) }
        @lobby.hear(readable) { |visitor| reader = let_in(visitor) || reader }
        @lobby.close_late
        refuse_late
        next if @client.nil?
        return unless exchange(reader, readable)

        @session.tick
      end
    rescue IOError, SystemCallError, BrokenFrame
      # The client has gone, or does not speak DAP.
    end

    # Resume what is paused, take out every mark, close every handle.
    # Returns a Waiting that has not been answered, for the next turn, or nil.
    def close
      waiting = @refused.pop
      if @session
        @session.hits.flush(0, all: true)
        @session.finish
        drain_last
        begin
          Description.describe(nil)
        rescue IOError, SystemCallError
          # The folder has gone; so has whoever looked into it.
        end
      end
      waiting
    ensure
      close_handles
    end

    # See Server.last_words.
    def last_words
      return if @session.nil? || @client.nil? || Thread.current == @session.serving

      @session.tell_counts
      deadline = Server.now + LAST_SECONDS
      sleep 0.002 while (@session.hits.waiting? || @outbox.waiting?) && !@session.over? && Server.now < deadline
    end

    # After a fork, in the child: as close, without a word to the parent's client.
    def abandon
      @session&.abandon
      @lobby.close
      close_handles
      @endpoint.socket.close
    end

    private

    def sources
      [@endpoint.socket, @waker.reading, @client, *@refused.map(&:connection), *@lobby.connections].compact
    end

    def sinks
      @client && @outbox.waiting? ? [@client] : []
    end

    # Seconds to wait for something: less while hits gather, or somebody waits to be refused.
    def patience
      idle = @refused.empty? && @lobby.empty? ? 1.0 : 0.1
      due = @session&.hits&.patience
      # What has been due since the last turn cannot be sent yet.
      [due&.zero? ? UNSENT_SECONDS : due, idle].compact.min
    end

    # Read, dispatch and write what is there. Returns false when the session is over.
    def exchange(reader, readable)
      if readable.include?(@client)
        chunk = @client.read_nonblock(CHUNK, exception: false)
        return false if chunk.nil?

        unless chunk == :wait_readable
          @heard = Server.now
          reader.feed(chunk).each { |message| @session.receive(message) }
        end
      elsif @session.silence_matters? && Server.now - @heard > SILENCE_SECONDS
        return false
      end
      @session.hits.flush(@outbox.unsent)
      @outbox.drain(@client)
      !(@session.over? && !@outbox.waiting?)
    end

    def accept
      connection = @endpoint.accept
      return if connection.nil?

      return @lobby.add(connection) if @endpoint.lasting?

      # One client at a time; a later one is told who has it, once it has introduced itself.
      @client ? @refused << Waiting.new(connection) : admit(Waiting.new(connection))
    end

    # A visitor has brought the token. Returns its reader when it is the client now.
    def let_in(visitor)
      waiting = Waiting.new(visitor.connection, reader: visitor.reader, messages: visitor.messages,
                                                introduced: visitor.introduced)
      if @client
        @refused << waiting
        return nil
      end
      admit(waiting)
      waiting.reader
    end

    def admit(waiting)
      @client = waiting.connection
      @heard = Server.now
      pid = Endpoint.peer_pid(@client)
      @taken_by = pid.positive? ? "process #{pid}" : 'another client'
      @session = Session.new(@outbox, @waker) { |token| @endpoint.refuses?(token) }
      Description.describe(%({"pid":#{pid},"since":#{Time.now.to_i}}))
      @session.introduce(waiting.introduced) if waiting.introduced
      waiting.messages.each { |message| @session.receive(message) }
    end

    # Something from a connection that waits; it is kept until it is its turn, or refused.
    def hear(waiting)
      chunk = waiting.connection.read_nonblock(65_536, exception: false)
      return if chunk == :wait_readable
      return drop(waiting) if chunk.nil?

      waiting.messages.concat(waiting.reader.feed(chunk))
    rescue IOError, SystemCallError, BrokenFrame
      drop(waiting)
    end

    # Tell those who have waited long enough who is attached.
    def refuse_late
      @refused.dup.each do |waiting|
        message = waiting.messages.first
        next if message.nil? || Server.now - waiting.since < GRACE_SECONDS

        answer = {
          'seq' => 1, 'type' => 'response', 'request_seq' => message['seq'] || 1, 'success' => false,
          'command' => message['command'] || 'initialize', 'message' => 'taken',
          'body' => { 'error' => { 'id' => 2, 'format' => "already attached: #{@taken_by} has this target" } }
        }
        begin
          waiting.connection.write_nonblock(Outbox.encode(answer), exception: false)
        rescue IOError, SystemCallError
          # It did not wait for the answer.
        end
        drop(waiting)
      end
    end

    def drop(waiting)
      @refused.delete(waiting)
      waiting.connection.close
    end

    # The answer to `disconnect` and the last events, for a client that still reads.
    def drain_last
      deadline = Server.now + 1.0
      while @outbox.waiting? && Server.now < deadline
        @outbox.drain(@client)
        IO.select(nil, [@client], nil, 0.1) if @outbox.waiting?
      end
    rescue IOError, SystemCallError
      # It has gone.
    end

    def close_handles
      @refused.each { |waiting| waiting.connection.close }
      @client&.close
      @waker.close
    end
  end
end
