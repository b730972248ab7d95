# frozen_string_literal: true

require 'json'
require_relative 'veil'

module AmberAgent
  # The bytes on the wire are not DAP frames.
  class BrokenFrame < StandardError; end

  # Turns chunks of bytes into messages: `Content-Length` headers and JSON bodies (DAP, "Base protocol").
  class FrameReader
    MAX_MESSAGE = 64 * 1024 * 1024

    def initialize
      @buffer = String.new(encoding: Encoding::BINARY)
    end

    # The messages (hashes) that `chunk` completes.
    # @raise [BrokenFrame]
    def feed(chunk)
      @buffer << chunk
      messages = []
      while (header_end = @buffer.index("\r\n\r\n"))
        length = length_in(@buffer[0, header_end])
        start = header_end + 4
        return messages if @buffer.bytesize < start + length

        messages << parse(@buffer.byteslice(start, length))
        @buffer = @buffer.byteslice(start + length..)
      end
      raise BrokenFrame, 'a header longer than 4096 bytes' if @buffer.bytesize > 4096

      messages
    end

    private

    def length_in(header)
      header.split("\r\n").each do |line|
        name, value = line.split(':', 2)
        # The first line of HTTP: a page in a browser may send one with a body that looks like ours.
        raise BrokenFrame, 'a header that is not one of DAP' if value.nil? || name.strip.include?(' ')

        next unless name.strip.casecmp?('content-length')
        raise BrokenFrame, 'a header without a Content-Length' unless value&.strip&.match?(/\A\d+\z/)

        length = value.to_i
        raise BrokenFrame, "a message of #{length} bytes" if length > MAX_MESSAGE

        return length
      end
      raise BrokenFrame, 'a header without a Content-Length'
    end

    def parse(body)
      message = JSON.parse(body.force_encoding(Encoding::UTF_8))
      raise BrokenFrame, 'a body that is not a JSON object' unless message.is_a?(Hash)

      message
    rescue JSON::ParserError => error
      raise BrokenFrame, "a body that is not JSON: #{error.message[0, 100]}"
    end
  end

  # Frames waiting to be sent. Any thread may post; only the serving thread drains.
  #
  # Writing appends to a bounded buffer, so that a thread of the program can report something to a client that reads
  # slowly without waiting for it.
  class Outbox
    # Answers that are exact: text of files, which the client hides where it shows it.
    EXACT = %w[source initialize].freeze
    # A client that lets this much pile up has stopped reading; it is treated as gone.
    MAX_UNSENT = 64 * 1024 * 1024

    # Bytes that the client has not taken yet.
    attr_reader :unsent

    def initialize(waker)
      @frames = []
      @lock = Mutex.new
      @waker = waker
      @seq = 0
      @unsent = 0
      @overflowed = false
    end

    def post(message)
      @lock.synchronize do
        return if @overflowed

        @seq += 1
        frame = self.class.encode(message.merge('seq' => @seq))
        @unsent += frame.bytesize
        if @unsent > MAX_UNSENT
          @overflowed = true
          @frames.clear
        else
          @frames << frame
        end
      end
      @waker.wake
    end

    def waiting?
      !@frames.empty? || @overflowed
    end

    # Send what the socket takes.
    # @raise [IOError, SystemCallError] when the client is gone
    def drain(connection)
      raise IOError, 'the client has stopped reading' if @overflowed

      while (frame = @frames.first)
        sent = connection.write_nonblock(frame, exception: false)
        return if sent == :wait_writable

        @lock.synchronize do
          @unsent -= sent
          sent == frame.bytesize ? @frames.shift : @frames[0] = frame.byteslice(sent..)
        end
      end
    end

    # One message as a frame, with what its texts say of secret names hidden: this is where they leave the process.
    def self.encode(message)
      body = text(message)
      if message.key?('body') && !EXACT.include?(message['command'])
        stems = Veil.current.stems_in(body)
        body = text(message.merge('body' => Veil.current.masked_all(message['body'], stems))) if stems.any?
      end
      "Content-Length: #{body.bytesize}\r\n\r\n#{body}".b
    end

    def self.text(message)
      JSON.generate(message)
    rescue JSON::GeneratorError, EncodingError
      # Bytes that are no text, in what the client has sent or the program has told.
      JSON.generate(readable(message))
    end
    private_class_method :text

    def self.readable(value)
      case value
      when String then value.dup.force_encoding(Encoding::UTF_8).scrub
      when Array then value.map { |item| readable(item) }
      when Hash then value.to_h { |key, item| [readable(key), readable(item)] }
      when Float then value.finite? ? value : value.to_s
      else value
      end
    end
    private_class_method :readable
  end

  # A pipe that ends the serving thread's wait from any thread.
  class Waker
    attr_reader :reading

    def initialize
      @reading, @writing = IO.pipe
    end

    def wake
      @writing.write_nonblock("\0", exception: false)
    rescue IOError, SystemCallError
      # Closed: nobody is left to wake.
    end

    def clear
      @reading.read_nonblock(4096, exception: false)
    rescue IOError, SystemCallError
      # Closed at the same moment.
    end

    def close
      @reading.close
      @writing.close
    end
  end
end
