// Draws a bell: a font of one letter, made here, is read by the font library, placed by the text library, and written and
// read again as a picture, which is compressed. Prints sums, which are the same on all machines.
#include <cstdio>
#include <cstring>
#include <string>
#include <vector>

#include <hb-ft.h>
#include <hb.h>
#include <png.h>
#include <zlib.h>

static const char font[] =
    "STARTFONT 2.1\nFONT bells\nSIZE 8 75 75\nFONTBOUNDINGBOX 8 8 0 0\nSTARTPROPERTIES 2\nFONT_ASCENT 8\nFONT_DESCENT 0\n"
    "ENDPROPERTIES\nCHARS 1\nSTARTCHAR A\nENCODING 65\nSWIDTH 1000 0\nDWIDTH 9 0\nBBX 8 8 0 0\nBITMAP\n"
    "18\n3C\n3C\n7E\n7E\nFF\nFF\n18\nENDCHAR\nENDFONT\n";

static void append(png_structp png, png_bytep bytes, png_size_t n)
{
    static_cast<std::string *>(png_get_io_ptr(png))->append(reinterpret_cast<char *>(bytes), n);
}

int main()
{
    FT_Library library;
    FT_Face face;
    if (FT_Init_FreeType(&library) ||
        FT_New_Memory_Face(library, reinterpret_cast<const FT_Byte *>(font), static_cast<FT_Long>(sizeof font - 1), 0, &face) ||
        FT_Select_Size(face, 0))
        return 1;
    hb_font_t *shaped = hb_ft_font_create(face, nullptr);
    hb_buffer_t *buffer = hb_buffer_create();
    hb_buffer_add_utf8(buffer, "AAA", -1, 0, -1);
    hb_buffer_guess_segment_properties(buffer);
    hb_shape(shaped, buffer, nullptr, 0);
    unsigned count;
    hb_glyph_info_t *glyphs = hb_buffer_get_glyph_infos(buffer, &count);
    hb_glyph_position_t *places = hb_buffer_get_glyph_positions(buffer, nullptr);
    std::vector<unsigned char> picture(32 * 8, 255);
    int x = 0;
    for (unsigned i = 0; i < count; i++) {
        if (FT_Load_Glyph(face, glyphs[i].codepoint, FT_LOAD_RENDER))
            return 2;
        const FT_Bitmap &b = face->glyph->bitmap;
        for (unsigned r = 0; r < b.rows; r++)
            for (unsigned c = 0; c < b.width; c++)
                if (b.buffer[r * static_cast<unsigned>(b.pitch) + c / 8] >> (7 - c % 8) & 1)
                    picture[r * 32 + static_cast<unsigned>(x) + c] = 0;
        x += places[i].x_advance / 64;
    }
    std::string file;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    png_set_write_fn(png, &file, append, nullptr);
    png_set_IHDR(png, info, 32, 8, 8, PNG_COLOR_TYPE_GRAY, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_write_info(png, info);
    for (unsigned r = 0; r < 8; r++)
        png_write_row(png, picture.data() + r * 32);
    png_write_end(png, info);
    png_destroy_write_struct(&png, &info);
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    if (!png_image_begin_read_from_memory(&image, file.data(), file.size()))
        return 3;
    image.format = PNG_FORMAT_GRAY;
    std::vector<unsigned char> back(PNG_IMAGE_SIZE(image));
    if (!png_image_finish_read(&image, nullptr, back.data(), 0, nullptr) || back != picture)
        return 4;
    std::printf("%u letters, %d wide, picture %ux%u, sum %08lx, zlib %s, png %s\n", count, x, image.width, image.height,
                crc32(0, back.data(), static_cast<uInt>(back.size())), zlibVersion(), png_get_libpng_ver(nullptr));
    hb_buffer_destroy(buffer);
    hb_font_destroy(shaped);
    FT_Done_Face(face);
    FT_Done_FreeType(library);
    return 0;
}
