# frozen_string_literal: true

# The lamps: each with when it is on.
Lamp = Struct.new(:name, :watts, :when)

FOG = 2

def dark?(hour)
  hour < 7 || hour >= 20
end

# By night, and in fog.
def pier_on?(hour, fog)
  dark?(hour) && fog >= FOG
end

def head_on?(hour, _fog)
  dark?(hour)
end

def always?(_hour, _fog)
  true
end

LAMPS = [
  Lamp.new('pier', 150, :pier_on?),
  Lamp.new('head', 800, :head_on?),
  Lamp.new('office', 40, :always?)
].freeze

def lights_for(hour, fog)
  LAMPS.select do |lamp|
    send(lamp.when, hour, fog)
  end
end
