# frozen_string_literal: true

require 'set'
require_relative 'veil'

module AmberAgent
  # Values as text, without running more of the program's code than its own `inspect`.
  #
  # Every text is bounded, whatever the value: a string of 100 MB, an array of a million, a cycle, an `inspect` that
  # raises, an object that has no methods. Attributes come from instance variables; no reader is called.
  module Values
    # Characters of a value in a list of variables, and of one that was asked for by itself.
    SHORT = 160
    LONG = 10_000

    # What a value may have replaced or not have at all is asked of the interpreter itself.
    CLASS = Kernel.instance_method(:class)
    METHOD = Kernel.instance_method(:method)
    VARIABLES = Kernel.instance_method(:instance_variables)
    VARIABLE = Kernel.instance_method(:instance_variable_get)
    NAME = Module.instance_method(:name)
    PLAIN_MESSAGE = Exception.instance_method(:to_s)
    # Whose `inspect` tells no more than ours.
    PLAIN_INSPECT = [Kernel, BasicObject].freeze
    LARGE = 4096
    # How deep a text goes into containers.
    DEPTH = 3
    # A symbol that is written before a colon in a hash as it is.
    PLAIN_KEY = /\A[A-Za-z_]\w*\z/.freeze

    class << self
      # The type as people write it: `Order`, `Skerrow::Tide`.
      def type_name(value)
        module_name(CLASS.bind_call(value))
      end

      def module_name(mod)
        NAME.bind_call(mod) || '(nameless class)'
      end

      # `value` as text of at most about `limit` characters. Raises nothing but what ends a thread.
      def text_of(value, limit = SHORT)
        cut(text(value, limit, DEPTH, []), limit)
      rescue StandardError, SystemStackError, NotImplementedError => error
        "<#{type_name(value)} that cannot be shown: #{reason(error)}>"
      end

      # The same of an array. The block may give the text of a member, of so many characters and so deep.
      def text_of_list(value, limit, &member)
        cut(sequence(value, '[', ']', limit, DEPTH, [value], &member), limit)
      end

      # What stands in the text of something else.
      def text_within(value, limit, depth)
        text(value, limit, depth, [])
      end

      def reason(error)
        # Ruby's own libraries look for better names and for the source whenever a message is read.
        message = NameError === error ? PLAIN_MESSAGE.bind_call(error) : error.message
        "#{error.class}: #{Veil.current.masked(utf8(message.to_s)[0, 300])}"
      rescue StandardError
        error.class.to_s
      end

      # `text` in UTF-8; bytes that are none of its encoding's are shown as `\xNN`.
      def utf8(text)
        text = text.encode(Encoding::UTF_8) unless text.encoding == Encoding::UTF_8
        text.valid_encoding? ? text : text.scrub { |bytes| hexadecimal(bytes) }
      rescue EncodingError
        text.dup.force_encoding(Encoding::UTF_8).scrub { |bytes| hexadecimal(bytes) }
      end

      private

      def hexadecimal(bytes)
        bytes.unpack1('H*').upcase.scan(/../).map { |byte| "\\x#{byte}" }.join
      end

      def text(value, limit, depth, seen)
        case value
        when String then string(value, limit)
        when Symbol then value.size > limit ? ":#{value[0, limit]}…" : utf8(value.inspect)
        when Integer then value.bit_length > LARGE ? "<Integer of #{value.bit_length} bits>" : value.to_s
        when nil, true, false, Float, Complex, Rational then value.inspect
        when Module then module_text(value)
        when Proc, Method, UnboundMethod then function(value)
        else
          return "<the same #{type_name(value)} again>" if seen.any? { |other| other.equal?(value) }

          other(value, limit, depth, seen + [value])
        end
      end

      def string(value, limit)
        return quoted(value) if value.bytesize <= limit

        count = value.bytesize > 1_000_000 ? "#{grouped(value.bytesize)} bytes" : "#{grouped(value.length)} characters"
        "#{quoted(value[0, limit])}… (#{count})"
      end

      ESCAPED = /["\\\p{Cntrl}]|\#(?=[{$@])/.freeze
      ESCAPES = { '"' => '\\"', '\\' => '\\\\', "\n" => '\\n', "\t" => '\\t', "\r" => '\\r', "\e" => '\\e' }.freeze

      def quoted(value)
        return %("#{value}") if value.encoding == Encoding::UTF_8 && value.valid_encoding? && !value.match?(ESCAPED)

        plain = value.encoding == Encoding::BINARY ? value.dup.force_encoding(Encoding::UTF_8) : value
        pieces = plain.valid_encoding? ? utf8(plain) : nil
        return utf8(value.inspect) if pieces.nil?

        escaped = pieces.gsub(ESCAPED) do |character|
          character == '#' ? '\\#' : ESCAPES[character] || format('\\x%02X', character.ord)
        end
        %("#{escaped}")
      end

      def grouped(number)
        number.to_s.gsub(/(?<=\d)(?=(\d{3})+\z)/, ',')
      end

      def module_text(value)
        name = NAME.bind_call(value)
        return name unless name.nil?

        Class === value ? '<a nameless class>' : '<a nameless module>'
      end

      def function(value)
        name = value.is_a?(Proc) ? 'proc' : "method #{value.name}"
        where = value.source_location
        where ? "<#{name} at #{File.basename(where[0])}:#{where[1]}>" : "<#{name}>"
      end

      def other(value, limit, depth, seen)
        case value
        when Array then sequence(value, '[', ']', limit, depth, seen)
        when Hash then mapping(value, limit, depth, seen)
        when Set then sequence(value.to_a, "#{type_name(value)}{", '}', limit, depth, seen)
        when Struct then fields(value, value.members.map { |name| [name.to_s, value[name]] }, limit, depth, seen)
        else day(value) || own_text(value, limit, depth, seen)
        end
      end

      # A date's own `inspect` is for the authors of the library.
      def day(value)
        defined?(::Date) && CLASS.bind_call(value).equal?(::Date) ? value.to_s : nil
      end

      def own_text(value, limit, depth, seen)
        inspector = METHOD.bind_call(value, :inspect)
        if PLAIN_INSPECT.include?(inspector.owner)
          held = VARIABLES.bind_call(value).map { |name| [name.to_s.delete_prefix('@'), VARIABLE.bind_call(value, name)] }
          return fields(value, held, limit, depth, seen)
        end
        shown = inspector.call
        return "<inspect of #{type_name(value)} is not a string>" unless shown.is_a?(String)

        shown = Veil.current.masked(utf8(shown.length > limit * 4 ? shown[0, limit * 4] : shown))
        shown.length <= limit ? shown : "#{shown[0, limit]}…"
      rescue NameError
        # A BasicObject: it has no `inspect`.
        "<#{type_name(value)}>"
      rescue StandardError => error
        "<inspect of #{type_name(value)} raised #{reason(error)}>"
      end

      # The block may give the text of a member.
      def sequence(value, before, after, limit, depth, seen)
        return "#{before}#{after}" if value.empty?
        return "#{before}… #{grouped(value.size)}#{after}" if depth.zero?

        each = each_of(limit)
        join(value.first(50), value.size, before, after, limit) do |item|
          (yield(item, each, depth - 1) if block_given?) || text(item, each, depth - 1, seen)
        end
      end

      def mapping(value, limit, depth, seen)
        return '{}' if value.empty?
        return "{… #{grouped(value.size)}}" if depth.zero?

        each = each_of(limit)
        join(value.first(50), value.size, '{', '}', limit) do |key, item|
          "#{key_text(key, seen)}#{under(key, item, each, depth - 1, seen)}"
        end
      end

      def key_text(key, seen)
        key.is_a?(Symbol) && key.match?(PLAIN_KEY) ? "#{key.name}: " : "#{text(key, 60, 1, seen)} => "
      end

      def fields(value, pairs, limit, depth, seen)
        return "<#{type_name(value)}>" if pairs.empty?
        return "<#{type_name(value)} …>" if depth.zero?

        each = each_of(limit)
        join(pairs, pairs.size, "<#{type_name(value)} ", '>', limit) do |name, item|
          "#{name}=#{under(name, item, each, depth - 1, seen)}"
        end
      end

      # What is stored under a name, unless the name is a secret one.
      def under(name, value, limit, depth, seen)
        name = name.name if name.is_a?(Symbol)
        Veil.current.hides?(name) ? Veil::HIDDEN : text(value, limit, depth, seen)
      end

      def cut(text, limit)
        text.length <= limit + 40 ? text : "#{text[0, limit]}…"
      end

      # Characters of a member of something that has so many.
      def each_of(limit)
        [limit / 2, 20].max
      end

      # What the block makes of the members, as far as it fits.
      def join(members, total, before, after, limit)
        shown = []
        used = 0
        members.each do |member|
          made = yield(member)
          used += made.length + 2
          break if !shown.empty? && used > limit

          shown << made
        end
        left = total - shown.size
        shown << "… #{grouped(left)} more" if left.positive?
        "#{before}#{shown.join(', ')}#{after}"
      end
    end
  end
end
