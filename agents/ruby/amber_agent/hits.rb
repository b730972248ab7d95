# frozen_string_literal: true

require_relative 'values'

module AmberAgent
  # What one logpoint may tell.
  class Limits
    PER_SECOND = 10_000
    BYTES = 1024
    WINDOW = 1_000_000

    attr_reader :bytes

    def initialize(wanted)
      @per_second = (wanted['perSecond'] || PER_SECOND).to_i
      @in_all = wanted['inAll'] ? wanted['inAll'].to_i : Float::INFINITY
      @bytes = (wanted['bytes'] || BYTES).to_i
      @told = 0
      @since = 0
      @in_window = 0
    end

    # Whether a hit now (microseconds) may be told; it then counts as told.
    def allow?(now)
      if now - @since >= WINDOW
        @since = now
        @in_window = 0
      end
      return false if @in_window >= @per_second || @told >= @in_all

      @in_window += 1
      @told += 1
      true
    end
  end

  # Hits of logpoints on their way to the client: texts made at once, sent in batches, bounded.
  #
  # A thread of the program appends; only the serving thread sends. What neither the limits of a mark nor the client
  # can take is counted, exactly, and the count is sent with the next batch. Counting is exact without a lock: the
  # interpreter changes threads at calls and jumps only.
  class Hits
    # Hits in one message, and hits that may wait for a client that reads slowly.
    BATCH = 500
    MOST_WAITING = 20_000
    # Bytes that may lie in the outbox before no more hits are put there.
    MOST_UNSENT = 4 * 1024 * 1024
    # Seconds that a hit may wait for others to go with it.
    GATHER = 0.02
    # What a string and an integer of JSON stand for among the values of a hit, and which integers JSON keeps exact.
    TYPES = { 'text' => 'String', 'whole' => 'Integer' }.freeze
    WHOLE = 1 << 53
    CLOCK = Process::CLOCK_MONOTONIC

    def initialize(session, waker)
      @session = session
      @waker = waker
      @waiting = []
      @first = 1
      @began = Process.clock_gettime(CLOCK, :microsecond)
      # Marks of which hits were left out since the last batch.
      @dropped = {}
    end

    def waiting?
      !@waiting.empty? || !@dropped.empty?
    end

    # A hit of `mark` in this thread, with its values.
    def tell(mark, values)
      at = Process.clock_gettime(CLOCK, :microsecond)
      limits = mark.limits
      return leave_out(mark) if !limits.allow?(at) || @waiting.size >= MOST_WAITING

      limit = limits.bytes
      index = values.size
      while (index -= 1) >= 0
        value = values[index]
        next if Integer === value && value < WHOLE && value > -WHOLE && !mark.veils?

        values[index] = mark.veiled[index] ? [Veil::HIDDEN, Values.type_name(value)] : shown(value, limit)
      end
      append([mark, at, Thread.current, values, @session.served.current])
    end

    # A hit of which an expression raised `error`.
    def tell_error(mark, error)
      at = Process.clock_gettime(CLOCK, :microsecond)
      return leave_out(mark) if !mark.limits.allow?(at) || @waiting.size >= MOST_WAITING

      append([mark, at, Thread.current, [{ 'error' => Values.reason(error) }], @session.served.current])
    end

    # Whether what waits is to be sent now: there is enough of it, or it has waited long enough.
    def due?
      return !@dropped.empty? if @waiting.empty?

      @waiting.size >= BATCH || Process.clock_gettime(CLOCK, :microsecond) - @waiting.first[1] >= GATHER * 1_000_000
    end

    # Send what is due, or all there is (the serving thread). `unsent`: bytes that the client has not taken yet.
    def flush(unsent, all: false)
      return unless all || due?

      while !@waiting.empty? && unsent <= MOST_UNSENT
        unsent += send_batch(@waiting.shift(BATCH))
      end
      send_batch([]) if !@dropped.empty? && unsent <= MOST_UNSENT
    end

    private

    def append(hit)
      waiting = @waiting
      waiting << hit
      size = waiting.size
      @waker.wake if size == 1 || size == BATCH
    end

    def leave_out(mark)
      mark.dropped += 1
      @dropped[mark.id] = mark
    end

    # Short strings go as they are, as they are now; of everything else the text is made.
    def shown(value, limit)
      return [Values.text_of(value, limit), Values.type_name(value)] unless String === value && value.instance_of?(String)
      return value.dup if value.bytesize <= limit && value.encoding == Encoding::UTF_8 && value.valid_encoding?

      text = Values.utf8(value.bytesize <= limit ? value : value[0, limit])
      value.bytesize <= limit || text.length >= value.length ? text : "#{text}…"
    end

    def send_batch(batch)
      dropped = @dropped
      @dropped = {}
      left_out = dropped.to_h { |id, mark| [id.to_s, mark.dropped_since] }.reject { |_id, count| count.zero? }
      return 0 if batch.empty? && left_out.empty?

      @session.amber_client ? send_rows(batch, left_out) : send_output(batch)
    end

    def send_rows(batch, left_out)
      hits = batch.map { |mark, at, thread, values| [mark.id, at - @began, @session.threads.id_of(thread), *values] }
      body = { 'first' => @first, 'types' => TYPES, 'hits' => hits, 'dropped' => left_out }
      @session.event('amberHits', body.merge(requests_of(batch)))
      @first += batch.size
      100 * batch.size
    end

    # Which request each hit belongs to, and those of them that the client does not know yet.
    def requests_of(batch)
      requests = batch.map(&:last)
      known = requests.compact.uniq(&:id)
      return {} if known.empty?

      begun = known.reject(&:told).each { |request| request.told = true }
      { 'requests' => requests.map { |request| request ? request.id : 0 }, 'begun' => begun.map(&:describe) }
    end

    # To a client without the extensions a logpoint is plain output.
    def send_output(batch)
      batch.each do |mark, _at, _thread, values|
        text = values.first.is_a?(Hash) ? values.first['error'] : Message.fill(mark.message, values)
        @session.event('output', 'category' => 'console', 'output' => "#{text}\n")
      end
      200 * batch.size
    end
  end

  # A message of plain DAP, with expressions in braces that may hold braces themselves.
  module Message
    class << self
      def expressions(message)
        pieces(message).filter_map { |piece, is_value| piece if is_value }
      end

      def fill(message, values)
        rest = values.map { |value| value.is_a?(Array) ? value.first : value.to_s }
        pieces(message).map { |piece, is_value| is_value ? rest.shift : piece }.join
      end

      private

      def pieces(message)
        found = []
        depth = 0
        text = +''
        message.each_char do |character|
          if character == '{' && depth.zero?
            found << [text, false]
            depth = 1
            text = +''
          elsif character == '}' && depth == 1
            found << [text, true]
            depth = 0
            text = +''
          else
            depth += { '{' => 1, '}' => -1 }.fetch(character, 0) if depth.positive?
            text << character
          end
        end
        found << [text, false]
      end
    end
  end
end
