# frozen_string_literal: true

# Which lights and horns of the harbour are on.
require_relative 'lamp'
require_relative 'horn'

def handle(_path, body)
  hour = body['hour'].to_i
  fog = body['fog'].to_i
  boats = body.fetch('boats', 0).to_i
  return { 'ok' => false, 'why' => 'no such hour' } unless (0..23).cover?(hour)

  lights = lights_for(hour, fog)
  horn = horn_for(fog, boats)
  {
    'ok' => true,
    'lights' => lights.map(&:name),
    'horn' => horn,
    'power' => power(lights, horn)
  }
end

def power(lights, horn)
  watts = lights.sum(&:watts)
  watts += 400 if horn
  watts
end
