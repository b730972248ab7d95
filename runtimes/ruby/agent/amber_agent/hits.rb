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

  # A value that is not told, of which only the type is.
  Hidden = Struct.new(:type)

  # Hits of logpoints on their way to the client: texts made at once, sent in batches, bounded.
  #
  # A thread of the program appends; only the serving thread sends. What neither the limits of a mark nor the client
  # can take is counted, exactly, and the count is sent with the next batch. Counting is exact without a lock: the
  # interpreter changes threads at calls and jumps only.
  class Hits
    # Places that a hit takes where it waits: its mark, when, its thread, its values and its request. An array for each would
    # take longer than all else that is done for it.
    PLACES = 5
    # Hits in one message, and hits that may wait for a client that reads slowly.
    BATCH = 500
    MOST_WAITING = 20_000
    MOST_PLACES = MOST_WAITING * PLACES
    # So many that wait let the serving thread come to its turn (one mark has told no more within its second), and again at
    # each thousand more.
    CROWD = 12_000
    AGAIN = 1_000
    # Bytes that may lie in the outbox before no more hits are put there.
    MOST_UNSENT = 4 * 1024 * 1024
    # Microseconds that a hit, or a line that was printed, may wait for others to go with it.
    GATHER = 20_000
    # The same of requests alone: to come to its turn costs the telling thread, and the program, more than telling them.
    GATHER_REQUESTS = 100_000
    # What a string and an integer of JSON stand for among the values of a hit, and which integers JSON keeps exact.
    TYPES = { 'text' => 'String', 'whole' => 'Integer' }.freeze
    WHOLE = 1 << 53
    CLOCK = Process::CLOCK_MONOTONIC
    UTF_8 = Encoding::UTF_8

    def initialize(session, waker)
      @session = session
      @waker = waker
      @waiting = []
      @first = 1
      @began = Process.clock_gettime(CLOCK, :microsecond)
      # The wall clock at that moment: hits of several programs are set in order by it.
      @epoch = Process.clock_gettime(Process::CLOCK_REALTIME, :microsecond)
      # Requests that began or ended since the last batch, and how many the client could not be told of.
      @begun = []
      @ended = []
      # Spans that requests have handed on to other services: [request, id of the span].
      @called = []
      # What was printed: [stream, line, when, request].
      @printed = []
      @unprinted = 0
      @untold = 0
      # Events that are told after everything before them: [name, body].
      @later = []
      # When what waits besides hits is to be sent.
      @due = nil
      # Marks of which hits were left out since the last batch.
      @dropped = {}.compare_by_identity
    end

    # Whether the client wants to hear of every request; otherwise of one with its first hit.
    attr_writer :tells_requests

    def waiting?
      !@waiting.empty? || !@dropped.empty? || !@later.empty? || requests_waiting?
    end

    # A request begins.
    def begun(request)
      return unless @tells_requests
      return @untold += 1 if @begun.size + @ended.size >= MOST_WAITING

      request.told = true
      @begun << request
      gather(request.at + GATHER_REQUESTS)
    end

    # A request has been answered. Who has not heard of its beginning does not hear of its end.
    def ended(request)
      return unless request.told

      at = Process.clock_gettime(CLOCK, :microsecond)
      @ended << [request, at]
      gather(at + GATHER_REQUESTS)
    end

    # A line was printed in this thread.
    def printed(stream, line)
      return @unprinted += 1 if @printed.size >= MOST_WAITING

      at = Process.clock_gettime(CLOCK, :microsecond)
      @printed << [stream, line, at, @session.served.current]
      gather(at + GATHER)
    end

    # A request asks another service, in a span of its own (W3C Trace Context).
    def called(request, traceparent)
      _version, _trace, span, flags = traceparent.to_s.split('-')
      @called << [request, span] if request.told && flags && @called.size < MOST_WAITING
    end

    # An event of this thread that is told at once, and after all that was told before it.
    def then_tell(name, body)
      @later << [name, body]
      @waker.wake
    end

    # When a hit is passed that the limits of its mark leave room for; nil of one that they do not, which is counted.
    def admit(mark)
      at = Process.clock_gettime(CLOCK, :microsecond)
      return at if mark.limits.allow?(at) && @waiting.size < MOST_PLACES

      leave_out(mark)
      nil
    end

    # A hit of `mark` in this thread as it is to be told, which was passed at that time.
    def append(mark, at, values)
      # One call, so that hits of other threads come before all of it or after.
      size = @waiting.push(mark, at, Thread.current, values, @session.served.current).size
      @waker.wake if size == PLACES || size == BATCH * PLACES
      # The serving thread would get the interpreter 100 ms later at the earliest, when there is no more room. What is to be
      # raised in this thread waits until it is in the program's own code again.
      Thread.handle_interrupt(Exception => :never) { Thread.pass } if size >= CROWD * PLACES && (size % (AGAIN * PLACES)).zero?
    end

    # A hit of `mark` in this thread, with its values.
    def tell(mark, values)
      at = Process.clock_gettime(CLOCK, :microsecond)
      limits = mark.limits
      return leave_out(mark) if !limits.allow?(at) || @waiting.size >= MOST_PLACES

      values = veiled(mark, values) if mark.veils?
      limit = limits.bytes
      index = values.size
      while (index -= 1) >= 0
        value = values[index]
        if Integer === value
          next if value < WHOLE && value > -WHOLE
        elsif String === value && value.instance_of?(String) && value.bytesize <= limit && value.encoding == UTF_8 && value.valid_encoding?
          # As it is now; a tenth of what `dup` takes.
          values[index] = "#{value}"
          next
        end
        values[index] = shown(value, limit)
      end
      append(mark, at, values)
    end

    # A hit of which an expression raised `error`.
    def tell_error(mark, error)
      at = admit(mark)
      append(mark, at, [{ 'error' => Values.reason(error) }]) if at
    end

    # Seconds until what waits is to be sent: there is enough of it, or it has waited long enough. Nil where nothing waits.
    def patience
      return 0 if @waiting.size >= BATCH * PLACES || !@later.empty? || (@waiting.empty? && !@dropped.empty?) || (@due.nil? && requests_waiting?)

      first = @waiting[1]
      due = [first && (first + GATHER), @due].compact.min
      due && [due - Process.clock_gettime(CLOCK, :microsecond), 0].max / 1_000_000.0
    end

    # Send what is due, or all there is (the serving thread). `unsent`: bytes that the client has not taken yet.
    def flush(unsent, all: false)
      return unless all || patience&.zero?

      @due = nil
      # Who has ended by now, or has stopped, has told all its hits.
      ended = @ended.size
      later = @later.size
      while !@waiting.empty? && unsent <= MOST_UNSENT
        unsent += send_batch(@waiting.shift(BATCH * PLACES))
      end
      send_batch([], ended) if (!@dropped.empty? || !@begun.empty? || !@printed.empty? || ended.positive?) && unsent <= MOST_UNSENT
      @later.shift(later).each { |name, body| @session.event(name, body) }
    end

    private

    # Something else than a hit waits, until then at the latest: the first of it wakes the serving thread, which lets others
    # come to it.
    def gather(due)
      return if @due && @due <= due

      @due = due
      @waker.wake
    end

    def requests_waiting?
      !@begun.empty? || !@ended.empty? || !@printed.empty?
    end

    def leave_out(mark)
      mark.dropped += 1
      @dropped[mark] = true
    end

    # Those under secret names hidden, before anything is made of them.
    def veiled(mark, values)
      values.each_with_index.map { |value, index| mark.veiled[index] ? Hidden.new(Values.type_name(value)) : value }
    end

    # Text of a value that does not go as it is.
    def shown(value, limit)
      return [Veil::HIDDEN, value.type] if Hidden === value
      return [Values.text_of(value, limit), Values.type_name(value)] unless String === value && value.instance_of?(String)

      text = Values.utf8(value.bytesize <= limit ? value : value[0, limit])
      value.bytesize <= limit || text.length >= value.length ? text : "#{text}…"
    end

    # @param batch hits, in their places
    def send_batch(batch, ended = 0)
      dropped = @dropped.keys.group_by(&:id)
      @dropped = {}.compare_by_identity
      left_out = dropped.to_h { |id, marks| [id.to_s, marks.sum(&:dropped_since)] }.reject { |_id, count| count.zero? }
      return 0 if batch.empty? && left_out.empty? && !requests_waiting?

      @session.amber_client ? send_rows(batch, left_out, ended) : send_output(batch)
    end

    def send_rows(batch, left_out, ended)
      body = { 'first' => @first, 'epoch' => @epoch, 'types' => TYPES, 'hits' => rows_of(batch), 'dropped' => left_out }
      body.update(requests_of(batch, ended))
      @session.event('amberHits', body)
      count = batch.size / PLACES
      @first += count
      100 * (count + (body['begun'] || []).size)
    end

    # Hits as rows. Those of one mark and thread come together, and most have one value.
    def rows_of(batch)
      last_mark = last_thread = id = thread_id = nil
      Array.new(batch.size / PLACES) do |row|
        place = row * PLACES
        mark = batch[place]
        thread = batch[place + 2]
        unless mark.equal?(last_mark) && thread.equal?(last_thread)
          last_mark = mark
          last_thread = thread
          id = mark.id
          thread_id = @session.threads.id_of(thread)
        end
        batch[place + 3].unshift(id, batch[place + 1] - @began, thread_id)
      end
    end

    # Which request each hit belongs to, those that the client does not know yet, and those that are over.
    def requests_of(batch, ended)
      # The last one stands for what follows: mostly all hits belong to the same.
      requests = Array.new(batch.size / PLACES) { |row| batch[(row * PLACES) + 4] }
      requests = requests.first(1) if requests.all? { |request| request.equal?(requests[0]) }
      begun = @begun.shift(@begun.size)
      begun.concat(requests.compact.uniq(&:id).reject(&:told)).each { |request| request.told = true }
      body = {}
      body['requests'] = requests.map { |request| request ? request.id : 0 } if requests.any?
      body['begun'] = begun.map { |request| request.describe.merge('at' => request.at - @began) } unless begun.empty?
      if ended.positive?
        body['ended'] = @ended.shift(ended).map { |request, at| [request.id, request.status || 0, at - @began] }
      end
      body['called'] = @called.shift(@called.size).map { |request, span| [request.id, span] } unless @called.empty?
      unless @printed.empty?
        body['printed'] = @printed.shift(@printed.size).map do |stream, line, at, request|
          [stream, line, at - @began, request ? request.id : 0]
        end
      end
      body['unprinted'] = @unprinted if @unprinted.positive?
      @unprinted = 0
      body['untold'] = @untold if @untold.positive?
      @untold = 0
      body
    end

    # To a client without the extensions a logpoint is plain output.
    def send_output(batch)
      batch.each_slice(PLACES) do |mark, _at, _thread, values|
        text = values.first.is_a?(Hash) ? values.first['error'] : Message.fill(mark.message, values)
        @session.event('output', 'category' => 'console', 'output' => "#{text}\n")
      end
      200 * (batch.size / PLACES)
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
