# frozen_string_literal: true

# The last departure by port and season.
LAST = {
  'Tarrin' => { 'summer' => '21:15', 'winter' => '22:40' },
  'Skerrow' => { 'summer' => '18:05', 'winter' => '16:20' },
  'Holm' => { 'summer' => '17:00' }
}.freeze

def season_of(day)
  month = day[5, 2].to_i
  summer?(month) ? 'summer' : 'winter'
end

def last_departure(port, season)
  LAST.fetch(port, {})[season]
end
