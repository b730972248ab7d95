# frozen_string_literal: true

require 'time'

# What the service reads at start: the timetable, the waters of each harbour, and the boats.
module Tables
  FOLDER = File.join(__dir__, '..', 'data')

  # A high or low water: when, and how many metres over the harbour's sill.
  Water = Struct.new(:at, :metres)
  Departure = Struct.new(:from, :to, :time, :boat)

  # Metres of water that each boat needs.
  DRAUGHT = { 'Kittiwake' => 1.4, 'Merlin' => 1.7, 'Sandpiper' => 1.1 }.freeze
  # Nautical miles between the harbours, and an hour's run.
  MILES = {
    %w[Skerrow Innish] => 9, %w[Skerrow Tarrin] => 16, %w[Skerrow Holm] => 23,
    %w[Innish Tarrin] => 8, %w[Innish Holm] => 17, %w[Tarrin Holm] => 11
  }.freeze
  KNOTS = 9.0

  def self.rows(name)
    File.readlines(File.join(FOLDER, name), chomp: true).drop(1).map { |line| line.split(',') }
  end

  TIMETABLE = rows('timetable.csv').map { |row| Departure.new(*row) }.freeze
  WATERS = rows('tides.csv').group_by(&:first).transform_values do |list|
    list.map { |_harbour, at, metres| Water.new(Time.parse("#{at}Z"), metres) }
  end.freeze

  def self.miles(from, to)
    MILES[[from, to]] || MILES.fetch([to, from])
  end
end
