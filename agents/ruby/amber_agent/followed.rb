# frozen_string_literal: true

module AmberAgent
  # Lines that are followed: at each, which variables of the method have changed since its line before.
  #
  # A call is told from another of the same thread by how deep it stands, and from the one before it in the same
  # place by passing the first line of its method: nothing of the program is kept alive for that. Blocks belong to
  # the method that they stand in. What has changed is told by its text.
  class Followed
    # Calls that are remembered at once; of one that has waited for longer everything counts as changed.
    MOST_CALLS = 2_000
    # Characters of a value that are compared and told.
    WIDTH = 200

    def initialize(session)
      @session = session
      # [thread, depth] -> [number of the call, texts by name]
      @calls = {}
      @next = 0
    end

    # A thread stands before the line of `mark`.
    def pass_line(mark, event)
      return unless @session.hits.may_tell?(mark)

      key = [Thread.current.object_id, depth_of(event.method_id.to_s)]
      known = @calls.delete(key)
      number, before = known.nil? || mark.opens ? [@next += 1, {}] : known
      now = shown(event.binding)
      @calls[key] = [number, now]
      @calls.shift if @calls.size > MOST_CALLS
      changed = now.reject { |name, value| before[name] == value }
      @session.hits.add(mark, [{ 'frame' => number, 'name' => event.method_id.to_s, 'changed' => changed }])
    end

    private

    # How deep the method stands that the running code belongs to.
    def depth_of(method)
      locations = caller_locations(2)
      index = locations.index { |location| location.label == method } || 0
      locations.size - index
    end

    def shown(binding)
      binding.local_variables.to_h do |name|
        value = binding.local_variable_get(name)
        text = Veil.current.hides_expression?(name.to_s) ? Veil::HIDDEN : text_of(value)
        [name.to_s, [text, Values.type_name(value)]]
      end
    end

    def text_of(value)
      return Values.text_of(value, WIDTH) unless String === value

      text = Values.utf8(value)
      text.length > WIDTH ? "#{text[0, WIDTH]}…" : text
    end
  end
end
