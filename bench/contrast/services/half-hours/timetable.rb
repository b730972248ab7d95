module Timetable
  MINUTES = { 'Skerrow-Holm' => 120, 'Skerrow-Innish' => 60, 'Holm-Tarrin' => 90, 'Innish-Tarrin' => 45, 'Holm-Innish' => 180 }.freeze

  def self.minutes(from, to)
    key = "#{from}-#{to}"
    MINUTES.fetch(key) { MINUTES.fetch("#{to}-#{from}", 60) }
  end
end
