# frozen_string_literal: true

# A shift of one of the crew.
class Shift
  LONG = 9

  def initialize(minutes, breaks, night: false)
    @minutes = minutes
    @breaks = breaks
    @night = night
  end

  def worked
    @minutes - @breaks
  end

  def hours
    worked / 60
  end

  def long?
    hours >= LONG
  end

  def night?
    @night
  end
end
