# frozen_string_literal: true

require_relative 'labels'
require_relative 'postage'

# Labels for boxes.
def handle(path, body)
  return { error: 'no labels' } unless path == '/labels'

  harbour = body['harbour']
  return { error: 'where to?' } unless Postage.known?(harbour)

  labels = Labels.new(harbour, fragile: body['fragile'] == true)
  texts = (body['boxes'] || []).map { |goods| labels.for(goods) }
  {
    labels: texts,
    postage: Postage.for(harbour, texts.size),
    longest: texts.map(&:size).max || 0
  }
end
