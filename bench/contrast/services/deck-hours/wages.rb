# frozen_string_literal: true

# What an hour earns.
module Wages
  BY_CREW = { 'Ada' => 24.0, 'Jon' => 21.5 }.freeze
  USUAL = 20.0
  NIGHT = 0.25

  def self.of(crew)
    BY_CREW.fetch(crew, USUAL)
  end

  def self.night_bonus(pay)
    pay * NIGHT
  end
end
