#include "core/lens/prescription.h"

namespace ilumbra {

// Lenses of our own, from a reading glass to a zoom of a dozen elements, drawn so that they make a picture and mirror
// as such lenses do.
const std::vector<Prescription>& shippedPrescriptions() {
  static const std::vector<Prescription> all = [] {
    std::vector<Prescription> out;
    for (const char* text : {
             R"({"name": "Reading glass, two elements", "surfaces": [
  {"stop": true, "after": 8},
  {"radius": 61, "after": 6, "index": 1.517, "abbe": 64.2, "aperture": 22},
  {"radius": -44, "after": 2.5, "index": 1.649, "abbe": 33.8, "aperture": 15.3},
  {"radius": -130, "after": 4, "aperture": 15.3}
]})",
             R"({"name": "Portrait triplet, 110 mm", "surfaces": [
  {"radius": 40, "after": 5, "index": 1.62, "abbe": 60.3, "aperture": 16},
  {"radius": -260, "after": 6, "aperture": 13.6},
  {"radius": -46, "after": 1.8, "index": 1.617, "abbe": 36.6, "aperture": 11.6},
  {"radius": 38, "after": 2, "aperture": 10.5},
  {"stop": true, "after": 5},
  {"radius": 180, "after": 4.5, "index": 1.62, "abbe": 60.3, "aperture": 11.6},
  {"radius": -42, "after": 0, "aperture": 13.6}
]})",
             R"({"name": "Long four, 140 mm", "surfaces": [
  {"radius": 36, "after": 4.6, "index": 1.67, "abbe": 47.2, "aperture": 18, "coating": 520},
  {"radius": 210, "after": 3.4, "aperture": 15.6, "coating": 490},
  {"radius": -85, "after": 1.6, "index": 1.6, "abbe": 39.3, "aperture": 13.5, "coating": 545},
  {"radius": 33, "after": 5, "aperture": 12.2, "coating": 530},
  {"stop": true, "after": 3.5},
  {"radius": -300, "after": 1.6, "index": 1.56, "abbe": 45.8, "aperture": 12.2, "coating": 490},
  {"radius": 38, "after": 6.5, "index": 1.69, "abbe": 54.7, "aperture": 13.5, "coating": 545},
  {"radius": -54, "after": 0, "aperture": 15.6, "coating": 530}
]})",
             R"({"name": "Normal six, 60 mm", "surfaces": [
  {"radius": 52, "after": 6.2, "index": 1.69, "abbe": 54.7, "aperture": 17, "coating": 540},
  {"radius": 130, "after": 0.4, "aperture": 15.3, "coating": 510},
  {"radius": 30, "after": 8.4, "index": 1.69, "abbe": 54.7, "aperture": 13.8, "coating": 565},
  {"radius": 92, "after": 2, "index": 1.62, "abbe": 60.3, "aperture": 12.5, "coating": 550},
  {"radius": 20, "after": 8.5, "aperture": 11.6, "coating": 540},
  {"stop": true, "after": 8.5},
  {"radius": -22, "after": 2, "index": 1.62, "abbe": 60.3, "aperture": 11.1, "coating": 565},
  {"radius": 70, "after": 7.5, "index": 1.72, "abbe": 46, "aperture": 11.6, "coating": 550},
  {"radius": -32, "after": 0.4, "aperture": 12.5, "coating": 540},
  {"radius": 150, "after": 5.2, "index": 1.72, "abbe": 46, "aperture": 13.8, "coating": 510},
  {"radius": -62, "after": 0, "aperture": 15.3, "coating": 565}
]})",
             R"({"name": "Wide eight, 24 mm", "surfaces": [
  {"radius": 120, "after": 4, "index": 1.52, "abbe": 64, "aperture": 20, "coating": 560},
  {"radius": 34, "after": 11, "aperture": 18.5, "coating": 530},
  {"radius": 70, "after": 2.5, "index": 1.6, "abbe": 39.3, "aperture": 17.2, "coating": 585},
  {"radius": 24, "after": 13, "aperture": 15.9, "coating": 570},
  {"radius": 60, "after": 7.5, "index": 1.7, "abbe": 55.5, "aperture": 14.8, "coating": 560},
  {"radius": -90, "after": 4.5, "aperture": 13.9, "coating": 530},
  {"stop": true, "after": 4},
  {"radius": -34, "after": 1.8, "index": 1.76, "abbe": 27.5, "aperture": 13, "coating": 570},
  {"radius": 42, "after": 7, "index": 1.6, "abbe": 39.3, "aperture": 13, "coating": 560},
  {"radius": -28, "after": 0.4, "aperture": 13.3, "coating": 530},
  {"radius": 130, "after": 1.6, "index": 1.74, "abbe": 28.3, "aperture": 13.9, "coating": 585},
  {"radius": 36, "after": 7.6, "index": 1.5, "abbe": 81.6, "aperture": 14.8, "coating": 570},
  {"radius": -44, "after": 0.4, "aperture": 15.9, "coating": 560},
  {"radius": 90, "after": 5, "index": 1.77, "abbe": 49.6, "aperture": 17.2, "coating": 530},
  {"radius": -110, "after": 0, "aperture": 18.5, "coating": 585}
]})",
             R"({"name": "Zoom of twelve, 22 to 76 mm", "surfaces": [
  {"radius": 110, "after": 2.2, "index": 1.8, "abbe": 25.4, "aperture": 30, "coating": 550},
  {"radius": 62, "after": 8, "index": 1.52, "abbe": 64, "aperture": 29, "coating": 510},
  {"radius": -480, "after": 0.4, "aperture": 28, "coating": 580},
  {"radius": 54, "after": 5.6, "index": 1.62, "abbe": 60, "aperture": 25, "coating": 535},
  {"radius": 150, "after": [2, 30], "aperture": 24, "coating": 570},
  {"radius": 90, "after": 1.6, "index": 1.75, "abbe": 52, "aperture": 14, "coating": 550},
  {"radius": 17, "after": 5.5, "aperture": 11, "coating": 510},
  {"radius": -42, "after": 1.5, "index": 1.62, "abbe": 60, "aperture": 11, "coating": 580},
  {"radius": 20, "after": 4.2, "index": 1.8, "abbe": 25.4, "aperture": 11, "coating": 535},
  {"radius": 85, "after": [26, 3], "aperture": 12, "coating": 570},
  {"stop": true, "after": 1.5},
  {"radius": 34, "after": 4.4, "index": 1.6, "abbe": 60, "aperture": 10, "coating": 510},
  {"radius": -60, "after": 0.4, "aperture": 10, "coating": 580},
  {"radius": 24, "after": 5.2, "index": 1.52, "abbe": 64, "aperture": 10, "coating": 535},
  {"radius": -48, "after": 1.6, "index": 1.78, "abbe": 26, "aperture": 10, "coating": 570},
  {"radius": 40, "after": [12, 6], "aperture": 11, "coating": 550},
  {"radius": 60, "after": 4.5, "index": 1.6, "abbe": 60, "aperture": 13, "coating": 510},
  {"radius": -46, "after": 1.2, "aperture": 13, "coating": 580},
  {"radius": -34, "after": 1.5, "index": 1.7, "abbe": 30, "aperture": 12, "coating": 535},
  {"radius": 42, "after": 2.5, "aperture": 12, "coating": 570},
  {"radius": 48, "after": 4.8, "index": 1.58, "abbe": 61, "aperture": 13, "coating": 550},
  {"radius": -70, "after": 0.4, "aperture": 13, "coating": 510},
  {"radius": 70, "after": 3.2, "index": 1.55, "abbe": 50, "aperture": 13, "coating": 580},
  {"radius": -200, "after": 0, "aperture": 13, "coating": 535}
]})"})
      out.push_back(parsePrescription(text));
    return out;
  }();
  return all;
}

} // namespace ilumbra
