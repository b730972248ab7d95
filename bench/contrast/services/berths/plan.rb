# The cabins of the night boat and their berths.
module Plan
  CABINS = { 'N1' => [4, false], 'N2' => [2, true], 'N3' => [6, false], 'N4' => [4, true] }.freeze

  def self.berths
    CABINS.flat_map do |cabin, (size, quiet)|
      (1..size).map do |number|
        { name: "#{cabin}-#{number}", cabin: cabin, low: number.odd?, quiet: quiet }
      end
    end
  end
end
