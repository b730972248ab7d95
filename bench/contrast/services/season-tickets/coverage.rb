# frozen_string_literal: true

# Which months of which route a ticket is good for.
MONTHS = [nil, *%w[Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec]].freeze
CLOSED = { 'Holm' => [1, 2, 12], 'Skerrow' => [1] }.freeze

def coverage_of(months, routes)
  covered = Hash.new([])
  routes.each do |route|
    months.each do |month|
      next if CLOSED.fetch(route, []).include?(month)

      covered[route] <<= month
    end
  end
  covered
end
