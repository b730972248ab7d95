module Table
  ROWS = [
    { from: 'Skerrow', to: 'Holm', at: 540, boat: 'Kestrel' },
    { from: 'Skerrow', to: 'Holm', at: 840, boat: 'Kestrel' },
    { from: 'Holm', to: 'Skerrow', at: 600, boat: 'Kestrel' },
    { from: 'Holm', to: 'Skerrow', at: 930, boat: 'Kestrel' },
    { from: 'Skerrow', to: 'Innish', at: 480, boat: 'Petrel' },
    { from: 'Innish', to: 'Skerrow', at: 1020, boat: 'Petrel' },
    { from: 'Tarrin', to: 'Holm', at: 660, boat: 'Tern' },
  ].freeze

  def self.between(from, to)
    found = ROWS.select { |row| row[:from] == from && row[:to] == to }
    found = found.reject { |row| row[:boat] == 'Tern' && row[:at] > 900 }
    found
  end
end
