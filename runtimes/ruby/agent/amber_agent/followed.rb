# frozen_string_literal: true

require_relative 'prints'

module AmberAgent
  # Lines that are followed: at each, which variables of the method have changed since its line before.
  #
  # A call is told from another of the same thread by how deep it stands, and from the one before it in the same
  # place by passing the first line of its method: nothing of the program is kept alive for that. Blocks belong to
  # the method that they stand in. What has changed is seen by its print, and only of that the text is made.
  class Followed
    # Calls that are remembered at once; of one that has waited for longer everything counts as changed.
    MOST_CALLS = 2_000
    # Characters of a value that are compared and told.
    WIDTH = 200

    def initialize(session)
      @session = session
      # [thread, depth] -> [number of the call, prints by name]
      @calls = {}
      @next = 0
      # Names of variables that have been asked about: whether they are secret.
      @hidden = {}
    end

    # A thread stands before the line of `mark`.
    def pass_line(mark, event)
      return unless @session.hits.may_tell?(mark)

      key = [Thread.current.object_id, depth_of(event.method_id.to_s)]
      known = @calls.delete(key)
      number, prints = known.nil? || mark.opens ? [@next += 1, {}] : known
      @calls[key] = [number, prints]
      @calls.shift if @calls.size > MOST_CALLS
      changed = changed(event.binding, prints)
      @session.hits.add(mark, [{ 'frame' => number, 'name' => event.method_id.to_s, 'changed' => changed }])
    end

    private

    # How deep the method stands that the running code belongs to.
    def depth_of(method)
      locations = caller_locations(2)
      index = locations.index { |location| location.label == method } || 0
      locations.size - index
    end

    # The variables that are not what they were, as texts with types; `prints` become those of now.
    def changed(binding, prints)
      names = binding.local_variables
      changed = {}
      names.each do |name|
        value = binding.local_variable_get(name)
        before = prints[name]
        # What most variables are is its own print.
        next if before.equal?(value) && (!before.nil? || prints.key?(name))
        next if String === before ? before.eql?(value) : Prints.same?(before, value)

        now = Prints.of(value, WIDTH)
        next if before.eql?(now) && prints.key?(name)

        prints[name] = now
        changed[name.name] = [hidden?(name) ? Veil::HIDDEN : text_of(value), Values.type_name(value)]
      end
      (prints.keys - names).each { |name| prints.delete(name) } if prints.size > names.size
      changed
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
