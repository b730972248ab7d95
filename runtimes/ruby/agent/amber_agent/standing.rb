# frozen_string_literal: true

module AmberAgent
  # What is known of the code at a followed line, and need not be asked for at every pass.
  class Standing
    # Depths that are remembered; a line is mostly reached by one way or two.
    MOST_WAYS = 4

    # `opens`: whether every call of its method passes it once, before all other lines; `sequence`, `effects`: what all
    # frames run that pass it, where they run the same.
    def initialize(line, opens, sequence = nil, effects = nil)
      @line = line
      @opens = opens
      @sequence = sequence
      @does = effects&.line(line)
      @begins = effects.nil? || effects.begins?(line)
      @held = effects ? effects.instance_variables_named : []
      @names = @method = @name = nil
      @all = false
      # [the last frame of a stack, how deep the method stands in it]
      @ways = []
    end

    # `lines`: all of its piece of code that are followed, at every pass.
    def among(lines)
      @all = !@does.nil? && (@does.following - lines).empty?
    end

    # The names of the variables that may not be what they were at the line before, in the same call; nil: any of them.
    # `loose`: names of those whose values may change by themselves.
    def changed_since(before, loose)
      return nil if before.nil? || @begins || !before.leads_to?(@sequence, @line)

      before.changed(loose)
    end

    def opens?
      @opens
    end

    # Instance variables that the method names.
    attr_reader :held

    def names(binding)
      return binding.local_variables if @sequence.nil?

      @names ||= binding.local_variables + @held
    end

    def name_of(method)
      return @name if method.equal?(@method) && @name

      @method = method
      @name = method.to_s
    end

    # How deep the method stands that the running code belongs to. To look at a frame or two of those that are known
    # costs a thirtieth of looking through all.
    def depth(method)
      index = 0
      while (way = @ways[index])
        return way[1] if caller_locations(way[0], 2)&.size == 1

        index += 1
      end
      frames = caller_locations(0)
      own = own_in(frames.map(&:label), name_of(method))
      @ways.unshift([frames.size - 1, frames.size - own])
      @ways.pop if @ways.size > MOST_WAYS
      frames.size - own
    end

    protected

    # Whether no other line of the call can be passed in between without being told.
    def leads_to?(sequence, line)
      @all && @sequence.equal?(sequence) && @does.following.include?(line)
    end

    def changed(loose)
      @does.calls ? @does.assigned | loose.keys : @does.assigned
    end

    private

    # Which frame is the method's own. What calls a block of its is not, though it may be called the same (`each`).
    def own_in(labels, name)
      labels.each_index.find { |index| own?(labels[index], name) && (index.zero? || !within?(labels[index - 1], name)) } || 0
    end

    # Whether a frame is that of a method, and not that of a block in it. From Ruby 3.4 on it is named with its class.
    def own?(label, name)
      label == name || (named?(label, name) && !label.include?(' '))
    end

    def within?(label, name)
      label.start_with?('block ') && named?(label, name)
    end

    def named?(label, name)
      label.end_with?(name) && [' ', '#', '.'].include?(label[-name.size - 1])
    end
  end
end
