# frozen_string_literal: true

module AmberAgent
  # Values under names that look secret are hidden before they leave the process.
  #
  # There is one client at a time, so there is one veil; attaching sets it.
  class Veil
    HIDDEN = '•••'

    # The same in src/core/veil.ts.
    NAMES = 'pass(?:word|wd|phrase)|secret|token|authori[sz]ation|cookie|api_?key|private_?key|credential' \
            '|session_?id|(?<![a-z])card(?![a-z])|card_?n(?:umber|o)|(?<![a-z])(?:cvv|cvc|pin)(?![a-z])'
    # The last name in an expression: of `order.card_number`, `d["token"]`, `h[:token]`, `@password`.
    LAST_NAME = /([A-Za-z_][A-Za-z0-9_-]*)["']?\]?\s*\z/

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
      names = [NAMES, *more.map { |name| Regexp.escape(name) }].join('|')
      @name = /#{names}/i
      # In a text that a class makes of itself: password="x", token: 7.
      @in_text = /([\w-]*(?:#{names})[\w-]*["']?\s*(?:=>|[=:])\s*)("[^"]*"|'[^']*'|[^\s,;)}\]>]+)/i
    end

    # Whether what is stored under `name` is hidden.
    def hides?(name)
      !@lifted && name.is_a?(String) && name.valid_encoding? && @name.match?(name)
    end

    # Whether an expression ends in a name that is hidden.
    def hides_expression?(text)
      found = LAST_NAME.match(text)
      !found.nil? && hides?(found[1])
    end

    # A text with what it says of secret names hidden.
    def masked(text)
      @lifted || !text.valid_encoding? ? text : text.gsub(@in_text) { "#{::Regexp.last_match(1)}#{HIDDEN}" }
    end
  end
end
