# frozen_string_literal: true

require_relative 'veil_rules'

module AmberAgent
  # Values under names that look secret are hidden before they leave the process.
  #
  # There is one client at a time, so there is one veil; attaching sets it.
  class Veil
    HIDDEN = VeilRules::HIDDEN

    # The last name in an expression: of `order.card_number`, `d["token"]`, `h[:token]`, `@password`.
    LAST_NAME = /([A-Za-z_][A-Za-z0-9_-]*)["']?\]?\s*\z/

    # Answers about names that are kept, and bytes of a name.
    MOST_KNOWN = 2_000
    LONGEST_KNOWN = 100

    @current = nil

    class << self
      def current
        @current ||= new
      end

      # What a client asks for in `attach`: {names, off}.
      def set(wanted)
        wanted = {} unless wanted.is_a?(Hash)
        @current = new(Array(wanted['names']).map(&:to_s), lifted: wanted['off'] ? true : false)
      end
    end

    # Everything is shown while it is lifted.
    def initialize(more = [], lifted: false)
      @lifted = lifted
      own = more.map { |name| Regexp.escape(name) }
      names = [VeilRules::NAMES, *own].join('|')
      @name = /#{names}/i
      # Names that have been asked about, since the same come again and again: whether they are hidden.
      @known = {}
      @stems = VeilRules::STEMS + more.map(&:downcase)
      @rules = VeilRules::TEXTS.map { |needs, parts| [needs, Regexp.new(parts.join(names), Regexp::IGNORECASE)] }
    end

    # Whether what is stored under `name` is hidden.
    def hides?(name)
      return false if @lifted || !name.is_a?(String)

      known = @known[name]
      return known unless known.nil?

      hidden = name.valid_encoding? && @name.match?(name)
      @known.clear if @known.size >= MOST_KNOWN
      @known[name] = hidden if name.bytesize <= LONGEST_KNOWN
      hidden
    end

    # A part of a request as it is told: values under secret names are hidden in it.
    def without(part, values)
      return values unless values.is_a?(Hash)

      is_secret = hides?(part)
      values.to_h { |name, value| [name, is_secret || hides?(name) ? HIDDEN : value] }
    end

    # Whether an expression ends in a name that is hidden.
    def hides_expression?(text)
      found = LAST_NAME.match(text)
      !found.nil? && hides?(found[1])
    end

    # A text with what it says of secret names hidden (contract/veil.json).
    def masked(text, stems = @stems)
      return text if @lifted || !text.valid_encoding?

      lower = text.downcase
      return text if stems.none? { |stem| lower.include?(stem) }

      @rules.reduce(text) do |rest, (needs, rule)|
        next rest if needs.none? { |need| lower.include?(need) }

        rest.gsub(rule) { "#{::Regexp.last_match(1)}#{HIDDEN}" }
      end
    end

    # The stems that a text in JSON has: most have none, and then there is nothing to be looked for.
    def stems_in(encoded)
      return [] if @lifted

      # One search for each: one for all of them at once takes ten times as long.
      lower = encoded.downcase
      @stems.select { |stem| lower.include?(stem) || !stem.ascii_only? }
    end

    # The same for every text in plain data, such as a message; `stems`: those that it has.
    def masked_all(data, stems = @stems)
      case data
      when String then masked(data, stems)
      when Array then data.map { |item| masked_all(item, stems) }
      when Hash then data.transform_values { |item| masked_all(item, stems) }
      else data
      end
    end
  end
end
