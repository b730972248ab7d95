# frozen_string_literal: true

module AmberAgent
  # What the program prints, line by line, with the request that it belongs to. The method `write` of the standard
  # streams passes through us while a client wants to hear of it.
  class Printed
    # Characters of a line that are told, and lines that are begun and not ended yet.
    MOST = 2_000
    MOST_BEGUN = 500

    def initialize(session)
      @session = session
      @changed = []
      # [thread, stream] -> the line so far
      @begun = {}
    end

    def install
      { 'stdout' => $stdout, 'stderr' => $stderr }.each do |name, stream|
        next if !stream.is_a?(IO) || stream.singleton_methods(false).include?(:write)

        printed = self
        stream.define_singleton_method(:write) do |*parts|
          printed.note(name, parts)
          super(*parts)
        end
        @changed << [stream, stream.singleton_method(:write)]
      end
    end

    # Whoever has replaced ours since keeps what is theirs.
    def remove
      @changed.each do |stream, ours|
        stream.singleton_class.send(:remove_method, :write) if stream.singleton_method(:write) == ours
      rescue NameError
        next
      end
      @changed = []
    end

    def note(name, parts)
      key = [Thread.current.object_id, name]
      *lines, rest = "#{@begun.delete(key)}#{Values.utf8(parts.join)}".split("\n", -1)
      lines.each { |line| @session.hits.printed(name, line[0, MOST]) }
      @begun[key] = rest[0, MOST] if rest && !rest.empty? && @begun.size < MOST_BEGUN
    rescue *Faults::OURS => error
      @session.trouble('listening to what is printed failed', error)
    end
  end
end
