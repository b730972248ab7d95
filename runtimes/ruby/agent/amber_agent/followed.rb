# frozen_string_literal: true

require_relative 'prints'

module AmberAgent
  # Lines that are followed: at each, which variables of the method have changed since its line before.
  #
  # A call is told from another of the same fiber by how deep it stands, and from the one before it in the same
  # place by passing the first line of its method: nothing of the program is kept alive for that. Blocks belong to
  # the method that they stand in. What has changed is seen by its print, and only of that the text is made.
  class Followed
    # Calls that are remembered at once; of one that has waited for longer everything counts as changed.
    MOST_CALLS = 2_000
    # Characters of a value that are compared and told.
    WIDTH = 200
    # More frames than a stack has.
    DEEPEST = 1 << 24
    NOTHING = {}.freeze
    NIL = %w[nil NilClass].freeze
    # Texts of members of lists that are kept, by the hash that the interpreter sees them by.
    MOST_TEXTS = 500

    # A call: its number, its fiber and depth, by name the prints of its variables, those of them that may change by
    # themselves, where it was told last, and what had been left out by then.
    Call = Struct.new(:number, :place, :prints, :loose, :standing, :left_out) do
      # Of variables that are not there any more nothing is kept.
      def keep(names)
        return unless prints.size > names.size

        (prints.keys - names).each do |name|
          prints.delete(name)
          loose.delete(name)
        end
      end
    end

    # The variables that a line sees: local ones, and those of the object that its method names.
    class Visible
      attr_reader :binding

      def initialize(binding, receiver, held)
        @binding = binding
        @receiver = receiver
        @held = held
      end

      def held?(name)
        !@held.empty? && @held.include?(name)
      end

      def [](name)
        held?(name) ? Values::VARIABLE.bind_call(@receiver, name) : @binding.local_variable_get(name)
      end
    end

    def initialize(session)
      @session = session
      # By fiber and depth, and the one that was passed last.
      @calls = {}
      @last = nil
      @next = @left_out = 0
      # Names of variables that have been asked about: whether they are secret.
      @hidden = {}
      @texts = {}
    end

    # A fiber stands before the line of `mark`.
    def pass_line(mark, event)
      at = @session.hits.admit(mark)
      return @left_out += 1 if at.nil?

      standing = mark.standing
      method = event.method_id
      place = (Fiber.current.object_id * DEEPEST) + standing.depth(method)
      call = @last
      call = @last = call_at(place, standing.opens?) if call.nil? || call.place != place || standing.opens?
      changed = changed(call, standing, event)
      @session.hits.append(mark, at, [{ 'frame' => call.number, 'name' => standing.name_of(method), 'changed' => changed }])
    end

    private

    # The call that stands in a place, which becomes the last of those that are remembered.
    def call_at(place, is_new)
      call = @calls.delete(place)
      call = Call.new(@next += 1, place, {}, {}, nil, @left_out) if call.nil? || is_new
      @calls[place] = call
      @calls.shift if @calls.size > MOST_CALLS
      call
    end

    # The variables that are not what they were, as texts with types; the call's prints become those of now.
    def changed(call, standing, event)
      maybe = standing.changed_since(call.standing, call.loose) if call.left_out == @left_out
      call.standing = standing
      call.left_out = @left_out
      values = Visible.new(event.binding, event.self, standing.held)
      return changed_of(maybe, call, values) if maybe

      names = standing.names(values.binding)
      changed = changed_of(names, call, values)
      call.keep(names)
      changed
    end

    def changed_of(names, call, values)
      prints = call.prints
      changed = NOTHING
      names.each do |name|
        value = values[name]
        before = prints[name]
        # What most variables are is its own print.
        next if before.equal?(value) && (!before.nil? || prints.key?(name))
        next if (String === before || Integer === before) && before.eql?(value)

        now = own_print?(value) ? value : Prints.of(value, WIDTH, before)
        next if now.equal?(before) && prints.key?(name)

        prints[name] = now
        now.equal?(value) && !values.held?(name) ? call.loose.delete(name) : call.loose[name] = true
        changed = {} if changed.equal?(NOTHING)
        changed[name.name] = told(name, value, now)
      end
      changed
    end

    def own_print?(value)
      Integer === value || nil.equal?(value) || true.equal?(value) || false.equal?(value) || Symbol === value
    end

    def told(name, value, print)
      return [Veil::HIDDEN, Values.type_name(value)] if hidden?(name)
      return [value.to_s, 'Integer'] if Integer === value && value.size <= 8
      return NIL if nil.equal?(value)

      text = Prints::Simple === print && print.kind.equal?(Array) ? text_of_list(value) : text_of(value)
      [text, Values.type_name(value)]
    end

    # Of a list that grows most members have been told before.
    def text_of_list(list)
      Values.text_of_list(list, WIDTH) do |item, limit, depth|
        next unless Array === item || Hash === item

        @texts.clear if @texts.size >= MOST_TEXTS
        @texts[item.hash] ||= Values.text_within(item, limit, depth)
      end
    end

    def hidden?(name)
      @hidden.fetch(name) { @hidden[name] = Veil.current.hides_expression?(name.name) }
    end

    def text_of(value)
      return Values.text_of(value, WIDTH) unless String === value

      text = Values.utf8(value)
      text.length > WIDTH ? "#{text[0, WIDTH]}…" : text
    end
  end
end
