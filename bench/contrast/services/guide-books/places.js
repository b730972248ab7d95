const PLACES = [
  { town: 'Holm', name: 'lighthouse', steep: true },
  { town: 'Holm', name: 'museum', steep: false },
  { town: 'Holm', name: 'cove', steep: true },
  { town: 'Innish', name: 'mill', steep: false },
  { town: 'Innish', name: 'fort', steep: true },
  { town: 'Tarrin', name: 'cliff', steep: true },
  { town: 'Tarrin', name: 'market', steep: false },
];

exports.placesIn = (town) => PLACES.filter((place) => place.town === town);
