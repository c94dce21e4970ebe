#include "app/viewport/which_lamp.h"

#include "core/advise/pixel.h"
#include "core/compile/camera.h"
#include "core/display/view.h"
#include "core/lens/develop.h"

#include <QPointer>

namespace ilumbra {

namespace {
constexpr int widest = 800;         // of what is drawn
constexpr float dimmed = 1 / 24.0f; // what is left of all other light
} // namespace

WhichLamp::WhichLamp(Studio& studio, QObject* parent) : QObject(parent), m_studio(studio) {
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (m_on) end();
  });
}

void WhichLamp::end() {
  ++m_asked;
  m_on = false;
  m_image = {};
  m_text.clear();
  m_light = 0;
  Q_EMIT changed();
}

void WhichLamp::ask(const QPointF& pixel) {
  // At the same place: the next in strength.
  m_rank = (pixel - m_at).manhattanLength() < 8 ? m_rank + 1 : 0;
  m_at = pixel;
  m_on = true;
  m_text = tr("Looking for the lamp…");
  const uint64_t asked = ++m_asked;
  Q_EMIT changed();
  struct Answer {
    QImage image;
    QString text;
    NodeId light = 0;
    size_t rank = 0;
  };
  m_studio.session().run([self = QPointer<WhichLamp>(this), send = m_studio.sender(), asked, pixel, rank = m_rank,
                          assets = m_studio.sharedAssets(),
                          views = m_studio.sharedViews()](const Session::State* s, const std::string& why) {
    Answer a;
    try {
      if (!s) {
        a.text = QString::fromStdString(why);
      } else {
        const Scene& scene = s->rendering.scene();
        const PixelReading r = askPixel(s->doc, currentFrame(s->doc), scene, s->rendering.film(), s->groupScales,
                                        s->developed, int(pixel.x()), int(pixel.y()));
        std::vector<const Contributor*> lamps;
        double all = 0;
        for (const Contributor& c : r.contributors)
          if (c.as == Contributor::As::Light) {
            lamps.push_back(&c);
            all += c.share;
          }
        if (lamps.empty()) {
          a.text = WhichLamp::tr("No lamp lights this place");
        } else {
          a.rank = rank % lamps.size();
          const Contributor& lamp = *lamps[a.rank];
          a.light = lamp.node;
          a.text = WhichLamp::tr("%1: %2 % of the light here")
                       .arg(QString::fromStdString(lamp.name))
                       .arg(100 * lamp.share / std::max(1e-12, all), 0, 'g', 2);
          if (lamps.size() > 1) a.text += WhichLamp::tr(" · again: the next of %1").arg(lamps.size());
          std::vector<Color> scales = s->groupScales;
          for (size_t g = 0; g < scales.size(); ++g)
            if (scene.groups[g].node != lamp.node || scene.groups[g].name != lamp.name) scales[g] *= dimmed;
          const FileAssets files = assets->assets(s->doc.folder(), &s->leaving);
          const double frame = currentFrame(s->doc);
          const SmallLens small(scene, s->rendering.film(), scales, exposureFactor(s->doc, frame), widest, s->tasks,
                                s->denoiser);
          const Picture p =
              small.develop(s->doc, frame, {.assets = &files, .cancel = &s->leaving, .works = false, .shares = false})
                  .picture;
          const std::vector<float> values = views->exact(p, settingsOf(s->doc).text("view"));
          a.image = QImage(p.width, p.height, QImage::Format_RGB888);
          for (int y = 0; y < p.height; ++y)
            for (int x = 0; x < 3 * p.width; ++x)
              a.image.scanLine(y)[x] = uint8_t(values[size_t(3 * p.width * y + x)] * 255 + 0.5f);
        }
      }
    } catch (const std::exception& e) {
      a.text = QString::fromUtf8(e.what());
    }
    send([self, asked, a] {
      if (!self || self->m_asked != asked) return;
      self->m_image = a.image;
      self->m_text = a.text;
      self->m_light = a.light;
      self->m_rank = a.rank;
      Q_EMIT self->changed();
    });
  });
}

} // namespace ilumbra
