# frozen_string_literal: true

require_relative 'quiet'

module AmberAgent
  # `request` and `sent` in the expressions of marks and stops: what the request that is served here carries, and what is
  # sent here, where the program itself has no variable and no method of that name.
  module Asking
    SENT = 'sent'
    NAMES = ['request', SENT].freeze
    CALLED_ON = ['.', '&.', '::'].freeze
    # A parameter of a block of that name is the expression's own.
    PARAMETER = /\|[^|]*\b(?:request|sent)\b[^|]*\|/

    # `is_shown`: what it gives is told to the client, so that what has a secret name is hidden in it.
    class Asked
      def initialize(exchange, is_shown)
        @exchange = exchange
        @is_shown = is_shown
      end

      def method(*name)
        name.empty? ? @exchange.verb : super
      end

      def inspect
        "#<request #{@exchange.verb} #{Veil.current.masked(address)}>"
      end

      private

      def veiled(part, value)
        @is_shown ? Veil.current.without(part, value) : value
      end
    end

    # Each part is read when it is asked for, and kept.
    class CarriedRequest < Asked
      def path
        @exchange.target.split('?', 2).first
      end

      %w[query headers cookies].each do |part|
        define_method(part) { (@kept ||= {})[part] ||= veiled(part, Carried.public_send("#{part}_in", @exchange)) }
      end

      # The program may still be reading it: what there is now is not kept.
      %w[form files session body].each do |part|
        define_method(part) { veiled(part, Carried.public_send("#{part}_in", @exchange)) }
      end

      private

      def address
        @exchange.target
      end
    end

    # The request that is sent here.
    class SentRequest < Asked
      PARTS = %w[method url headers body status].freeze

      (PARTS - ['method']).each do |part|
        define_method(part) { veiled(part, @exchange.public_send(part)) }
      end

      private

      def address
        @exchange.url
      end
    end

    class << self
      # Where what a thread sends is known from: the Sends of the session.
      attr_accessor :sends

      # Where the request is known from that a thread serves: the Served of the session.
      attr_accessor :served

      # For a condition, and for a value that is told. @raise [KeyError] where no request is known to be served
      def asked
        carried(false)
      end

      def shown
        carried(true)
      end

      # The same of what is sent. @raise [KeyError] where nothing is
      def sent_asked
        sent(false)
      end

      def sent_shown
        sent(true)
      end

      # An expression as it is computed: with the request in the place of a name that the program does not have.
      def written(text, is_shown)
        return text unless NAMES.any? { |name| text.include?(name) } && !PARAMETER.match?(text)

        tokens = Quiet.tokens(text)
        return text if tokens.map(&:last).join != text

        tokens.each_with_index.map do |(kind, word), at|
          kind == :on_ident && NAMES.include?(word) && alone?(tokens, at) ? ours(word, is_shown ? 'shown' : 'asked') : word
        end.join
      end

      private

      def ours(name, how)
        "(defined?(#{name}) ? #{name} : ::AmberAgent::Asking.#{"#{name}_" if name == SENT}#{how})"
      end

      def sent(is_shown)
        sending = sends&.current or raise KeyError, 'no request is sent here'
        SentRequest.new(sending, is_shown)
      end

      # Whether a name is called on nothing and with nothing, and is given no value.
      def alone?(tokens, at)
        before = tokens.take(at).reverse.find { |kind, _word| kind != :on_sp }
        after = tokens.drop(at + 1).find { |kind, _word| kind != :on_sp }
        return false if before && (CALLED_ON.include?(before.last) || before.first == :on_symbeg)

        after.nil? || !(after.last == '=' || tokens[at + 1].last == '(')
      end

      def carried(is_shown)
        request = served&.current or raise KeyError, 'no request is known to be served here'
        request.carried ||= [CarriedRequest.new(request, false), CarriedRequest.new(request, true)]
        request.carried[is_shown ? 1 : 0]
      end
    end
  end
end
